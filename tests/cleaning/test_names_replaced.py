"""Names in texts that people wrote: each gets the pseudonym of what it names, and nothing else is touched."""

from milepost import replay
from milepost.cleaning.anonymous import Pseudonyms, pseudonym


def hidden(milepost, table=None):
    log = [
        {"session": name, "player": player, "time": n, "event": event, "level": "Mill Pond", "build": "0.8"}
        for name, player in (("evening-1", "Ada Reed"), ("evening-2", "Bo"))
        for n, event in enumerate(("start", "death"))
    ]
    play = replay([str(milepost.folder / milepost.write("log.jsonl", log))])
    return Pseudonyms.of(play.gated.log, table or {})


def test_each_is_called_by_what_it_is(milepost):
    """A session as a session, a player as a player, whole names before their parts; levels and builds stay."""
    names = hidden(milepost)
    ada, bo, evening = pseudonym("player", "Ada Reed"), pseudonym("player", "Bo"), pseudonym("session", "evening-1")
    assert names.in_text("in evening-1 ADA REED met bo at Mill Pond (0.8)") == f"in {evening} {ada} met {bo} at Mill Pond (0.8)"
    assert names.in_text("ada, then Reed.") == f"{ada}, then {ada}."
    assert names.in_text("ada, then Reed.", parts=False) == "ada, then Reed."
    assert names.in_text("nobody here") == "nobody here" and names.in_text("") == ""
    assert names.player("Ada Reed") == ada and names.player("evening-1") == evening and names.session("x").startswith("session-")


def test_what_tells_of_one_player_alone(milepost):
    """Of a table of players, values that nearly all differ name whoever has them; numbers, and what many share, do not."""
    table = {f"p{n}": {"mail": f"p{n}@x.example", "score": f"{n}.5", "role": "tester"} for n in range(6)}
    names = hidden(milepost, table)
    assert names.in_text("p3@x.example is a tester with 3.5") == f"{pseudonym('player', 'p3@x.example')} is a tester with 3.5"


def test_documents(milepost):
    """Whole names are replaced in values, and in keys only where these are what people wrote."""
    names = hidden(milepost)
    ada = pseudonym("player", "Ada Reed")
    assert names.in_document(
        {"player": "Ada Reed", "n": 3, "level": "Mill Pond", "rows": [{"who": "Bo"}, "Ada Reed and Bo"]}
    ) == {
        "player": ada,
        "n": 3,
        "level": "Mill Pond",
        "rows": [{"who": pseudonym("player", "Bo")}, f"{ada} and {pseudonym('player', 'Bo')}"],
    }
