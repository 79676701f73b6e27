"""Two players on two levels, as a list of tries and as a log of our own form."""

PLAY = [
    ("Ada", "1", "Mill Pond", 0, 12.5, "death"),
    ("Ada", "1", "Mill Pond", 20, 9.25, "complete"),
    ("Ada", "1", "Low Arch", 40, 0.1, "reset"),
    ("Ada", "1", "Low Arch", 41, 30, "complete"),
    ("Bo", "2", "Mill Pond", 0, 5, "complete"),
    ("Bo", "2", "Low Arch", 10, 7, "death"),
]


def own_form():
    lines = []
    for player, session, level, start, lasted, result in PLAY:
        base = {"session": session, "player": player, "level": level}
        lines += [base | {"time": start, "event": "start"}, base | {"time": start + lasted, "event": result}]
    return lines
