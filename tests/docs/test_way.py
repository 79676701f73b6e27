"""The page on a record's way: it names each module that a record passes through, and no other."""

import re
import sys
from pathlib import Path

from conftest import COURSE

DESIGN = Path(__file__).parents[2] / "docs" / "design.md"
MOST = 40  # modules that a newcomer has to read


def modules_on_the_page():
    page = DESIGN.read_text(encoding="utf-8").split("## A record's way")[1].split("\n## ")[0]
    return re.findall(r"`([a-z_/]+\.py)`", page)


def modules_passed(way):
    """The program's modules of which a function runs; what a module does when it is loaded does not count."""
    names = set()

    def note(frame, event, _):
        name, function = frame.f_globals.get("__name__", ""), frame.f_code.co_name
        if event == "call" and name.startswith("milepost") and not function.startswith("<"):
            names.add(name)

    way()  # what is loaded when it is first needed
    sys.setprofile(note)
    try:
        way()
    finally:
        sys.setprofile(None)
    return {name.removeprefix("milepost.").replace(".", "/") + ".py" for name in names}


def test_the_page_is_true(milepost, small_log):
    """One log, and one that is read in columns."""
    from milepost import engine
    from milepost.course.course import read_course
    from milepost.measures.funnel import Funnel
    from milepost.partitions.execution import LogRequest
    from milepost.progress import SILENT
    from milepost.rules import ReplayRules

    players = [[{**record, "session": f"{record['session']}{n}", "player": f"p{n}"} for record in small_log] for n in range(30)]
    log = milepost.folder / milepost.write("log.jsonl", [record for records in players for record in records])
    course, rules = read_course(milepost.folder / milepost.write("course.toml", COURSE)), ReplayRules()
    asked = LogRequest([str(log)], course, rules)

    def way():
        log = engine.read_log(asked, SILENT)
        return Funnel()(engine.replay(engine.clean(log, course, rules), rules, None))

    told = modules_on_the_page()
    assert len(told) == len(set(told)) <= MOST
    passed = modules_passed(way)
    assert passed == set(told)
    assert len(way().rows) == 2
