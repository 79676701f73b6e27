"""A play that was put together from parts has let its records go, and says so to whoever asks for them."""

import pytest

import milepost as api
from conftest import COURSE
from milepost.audit.record_checks import Signs
from milepost.drafts.course_draft import draft_course
from milepost.errors import RecordsGoneError
from milepost.measures.times import use_clock
from milepost.measures.trace import Trace
from milepost.playback.play import Play


@pytest.fixture
def play(milepost, small_log):
    milepost.write("log.jsonl", small_log)
    milepost.write("course.toml", COURSE)
    return api.replay(milepost.folder / "log.jsonl", course=milepost.folder / "course.toml", memory=1)


class Unlisted:
    """A summary that nobody made part by part."""

    @classmethod
    def of(cls, play: Play):
        return len(play.gated.log.records)

    @classmethod
    def merged(cls, parts):
        return sum(parts)


@pytest.mark.parametrize(
    "ask",
    [
        lambda play: Trace()(play),
        lambda play: draft_course(play, ""),
        lambda play: use_clock(play, idle_cap=3.0),
        lambda play: play.summary(Unlisted),
        lambda play: len(play.gated.order),
        lambda play: play.gated.log.records.time,
        lambda play: play.gated.level[0],
    ],
)
def test_who_needs_records_is_told(play, ask):
    """Nothing that needs them gives an empty answer; the error says what to do."""
    with pytest.raises(RecordsGoneError, match="Replay the log as a whole"):
        ask(play)


def test_records_are_kept_for_whoever_says_so(milepost, play):
    """However little memory there is."""
    whole = api.replay(milepost.folder / "log.jsonl", course=milepost.folder / "course.toml", memory=1, every_record=True)
    assert len(whole.gated.log.records) > 0 and len(api.trace(whole))


def test_what_was_made_of_them_stays(play):
    """Measures, and the summaries that were made, need none."""
    assert api.funnel(play).reached.tolist() == [2, 1]
    assert play.summary(Signs).events.sum() == 11


def test_idle_spans_by_parts(milepost, small_log):
    """A bound on idle time is held by parts, too, and with little memory: the same figures to the last digit."""
    long = [
        line | {"session": f"{line['session']}{n}", "player": f"p{n % 5}", "time": line["time"] * (1 + n)}
        for n in range(30)
        for line in small_log
    ]
    milepost.write("log.jsonl", long)
    milepost.write("course.toml", COURSE)
    words = ("times", "log.jsonl", "--course", "course.toml", "--idle-cap", "4")
    whole = milepost.json(*words)
    assert whole != milepost.json(*words[:-2])
    for more in (("--jobs", "2"), ("--memory", "1MB")):
        assert milepost.json(*words, *more) == whole
    groups, parted = (milepost.json(*words, "--by", "player", *more) for more in ((), ("--jobs", "2")))
    assert groups == parted


def test_the_plan_in_a_notebook(milepost, small_log):
    """A play knows its course: verdicts against the plan are there without saying it again."""
    many = [line | {"session": f"{line['session']}{n}", "player": f"p{n}"} for n in range(12) for line in small_log]
    milepost.write("log.jsonl", many)
    milepost.write("course.toml", COURSE.replace('"Mill Pond"\n', '"Mill Pond"\ntarget_clear = 0.99\n'))
    command = milepost.json("spikes", "log.jsonl", "--course", "course.toml")["levels"]
    frame = api.spikes(api.replay(milepost.folder / "log.jsonl", course=milepost.folder / "course.toml"))
    assert [plan if isinstance(plan, str) else None for plan in frame.plan] == [
        row["plan"] for row in command
    ] and frame.plan.iloc[0] == "below"
