"""What a document says of what was left out as suspect, and of tries that were not asked for."""

from __future__ import annotations

from milepost.gate.exclusion import Exclusion
from milepost.playback.play import Play
from milepost.reports.documents import Head, Suspected
from milepost.wording import listed, plural, safe


def suspected(play: Play, exclusion: Exclusion) -> Suspected:
    """What was left out."""
    names = set(play.gated.log.sessions.name)
    everybody = names if play.before is None else set(play.before.gated.log.sessions.name)
    return Suspected(
        codes=list(exclusion.codes), void=int(play.attempts.void.sum()), sessions=len(exclusion.sessions & everybody),
        cuts=len(exclusion.cuts.keys() & names), ends=len(exclusion.faults & names),
        clears=sum(len(own) for name, own in exclusion.cleared.items() if name in names),
    )  # fmt: skip


def what_is_void(report: Head) -> list[str]:
    """What was left out, and which tries are looked at, as sentences."""
    said = []
    if "excluded" in report:
        own = report["excluded"]
        why = "as suspect (" + ", ".join(own["codes"]) + ")" if own["codes"] else "because they break a promise of the course"
        counts = {
            plural(own["void"], "try", "tries"): own["void"], plural(own["sessions"], "session"): own["sessions"],
            f"{plural(own['cuts'], 'session')} from a jump on": own["cuts"],
            f"{plural(own['ends'], 'end')} as no decision": own["ends"],
        }  # fmt: skip
        gone = [text for text, count in counts.items() if count]
        said.append(f"Left out {why}: {listed(gone) if gone else 'nothing was found'}.")
        if own["clears"]:
            said.append(f"{plural(own['clears'], 'crash', 'crashes')} with everything done {'counts' if own['clears'] == 1 else 'count'} as cleared.")  # noqa: E501
    if report.get("per") == "run":
        said.append("Counted per run: numbers of tries and first clears begin anew in each, and players stand for runs.")
    if "asked" in report:
        asked = listed([safe(condition) for condition in report["asked"]])
        said.append(f"Only tries with {asked} are looked at, so that figures by the number of a try cannot be given.")
    return said
