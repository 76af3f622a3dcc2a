"""Pilotage fees of the harbour office.

Run with a file of calls, one a line: name;gross tonnage;draught;hour
"""

import csv
import sys
from dataclasses import dataclass
from decimal import Decimal

BASE_FEE = Decimal("180.00")
PER_TON = Decimal("0.042")
DEEP_DRAUGHT_M = 9.5
DEEP_SURCHARGE = Decimal("1.15")


@dataclass
class Call:
    name: str
    gross_tonnage: int
    draught_m: float
    hour: int


def read_calls(path):
    """Reads the calls of one day."""
    with open(path, newline="", encoding="utf-8") as file:
        for row in csv.reader(file, delimiter=";"):
            if not row or row[0].startswith("#"):
                continue
            name, tonnage, draught, hour = row
            yield Call(name, int(tonnage), float(draught), int(hour))


def fee(call):
    """The fee of one call in euros."""
    amount = BASE_FEE + PER_TON * call.gross_tonnage
    if call.draught_m > DEEP_DRAUGHT_M:
        amount *= DEEP_SURCHARGE
    return amount.quantize(Decimal("0.01"))


def total(calls):
    return sum((fee(call) for call in calls), Decimal("0.00"))


def invoice(call):
    lines = [
        f"Pilotage for {call.name}",
        f"  gross tonnage  {call.gross_tonnage}",
        f"  draught        {call.draught_m:.1f} m",
        f"  fee            {fee(call)} EUR",
    ]
    return "\n".join(lines)


def main(argv):
    if len(argv) != 2:
        print("usage: pilotage.py CALLS", file=sys.stderr)
        return 2
    calls = list(read_calls(argv[1]))
    for call in calls:
        print(invoice(call))
        print()
    print(f"{len(calls)} calls, {total(calls)} EUR")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv))
