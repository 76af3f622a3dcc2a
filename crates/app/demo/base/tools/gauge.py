"""Reads the tide gauge and tells the office when to look at the lines."""

import csv
import datetime

STEP = datetime.timedelta(minutes=30)
LOW = 1.2
HIGH = 4.6


def read(path):
	rows = []
	with open(path, newline="") as file:
		for row in csv.reader(file):
			when = datetime.datetime.fromisoformat(row[0])
			height = float(row[1])
			rows.append((when, height))
	return rows


def turns(rows):
	found = []
	for before, here, after in zip(rows, rows[1:], rows[2:]):
		if before[1] < here[1] > after[1]:
			found.append(("high", here))
		if before[1] > here[1] < after[1]:
			found.append(("low", here))
	return found


def warn(rows):
	for when, height in rows:
		if height < LOW:
			yield when, "look at the lines: low water"
		elif height > HIGH:
			yield when, "look at the lines: high water"


def report(path):
	rows = read(path)
	for name, (when, height) in turns(rows):
		print(f"{when:%H:%M} {name} {height:.1f} m")
	for when, text in warn(rows):
		print(f"{when:%H:%M} {text}")
