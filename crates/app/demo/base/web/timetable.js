// The timetable page: loads today's calls and draws them.

const REFRESH_SECONDS = 60;
const table = document.querySelector("#timetable tbody");
const clock = document.querySelector("#clock");

function two(n) {
  return String(n).padStart(2, "0");
}

function timeOf(minutes) {
  return `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

async function load(day) {
  const answer = await fetch(`/calls/${day}.json`);
  if (!answer.ok) {
    throw new Error(`no calls for ${day}`);
  }
  return answer.json();
}

function row(call) {
  const tr = document.createElement("tr");
  for (const text of [timeOf(call.eta), call.ship, call.berth, call.state]) {
    const td = document.createElement("td");
    td.textContent = text;
    tr.append(td);
  }
  return tr;
}

function draw(calls) {
  const sorted = [...calls].sort((a, b) => a.eta - b.eta);
  table.replaceChildren(...sorted.map(row));
}

function tick() {
  const now = new Date();
  clock.textContent = `${two(now.getHours())}:${two(now.getMinutes())}`;
}

async function refresh() {
  try {
    const day = new Date().toISOString().slice(0, 10);
    draw(await load(day));
  } catch (error) {
    console.warn("timetable not refreshed", error);
  }
}

setInterval(tick, 1000);
setInterval(refresh, REFRESH_SECONDS * 1000);
tick();
refresh();
