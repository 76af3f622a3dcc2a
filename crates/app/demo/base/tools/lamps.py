"""Lamps of the quays: when they burn, what they need, what became of them."""


def report(day):
    lines = [lamp.line() for lamp in day.lamps]
    total = sum(lamp.oil for lamp in day.lamps)
    return lines, total


def is_lit(quay, hour):
    return hour < 6 or hour >= 20


def oil(lamps, hours):
    spare = 4
    return lamps*0.3*hours + spare


def trim(lamp):
    lamp.wick -= 1
    lamp.glass = "clean"
    return lamp


def douse(lamp):
    lamp.burning = False
    lamp.log("doused by hand")


def keeper(night):
    return night.watch[0]
