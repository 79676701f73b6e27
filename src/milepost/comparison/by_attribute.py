"""Two sides that are tries of the same sessions, by what a start or an end said of them."""

from __future__ import annotations

from milepost.audit.varying_fields import Varying
from milepost.cleaning.splitting import Split
from milepost.errors import UsageError
from milepost.playback.attempt_filters import groups_of
from milepost.playback.attributes import attribute
from milepost.playback.play import Play
from milepost.wording import listed


def split_by_attribute(play: Play, key: str, before: str | None, after: str | None) -> tuple[Split, tuple[Play, Play]]:
    """Two values of an attribute of tries, each with the play that looks at its tries; those not named are the first two.

    Raises:
        UsageError: the log does not have two such values.
    """
    groups = {value: side for value, side in groups_of(play, key).plays(play, key) if value is not None}
    for named in (before, after):
        if named is not None and named not in groups:
            raise UsageError(f"no try has {key} {named!r}. Its values are: {listed([repr(value) for value in groups])}.")
    if before is not None and before == after:
        raise UsageError(f"{key} {before!r} cannot be compared with itself. Name two different ones: --from and --to.")
    left = [value for value in groups if value not in (before, after)]
    if (before is None) + (after is None) > len(left):
        raise UsageError(f"the log has one {key} only, {listed(list(groups))}: there is nothing to compare it with.")
    chosen = before is None or after is None
    before = left.pop(0) if before is None else before
    after = left.pop(0) if after is None else after
    split = Split(key, before, after, (play.course, play.course), chosen)
    return split, (groups[before], groups[after])


def tries_left_out(sides: tuple[Play, Play], key: str) -> tuple[int, int]:
    """How many tries at levels of the course are on neither side because they have another value, and because they have none."""
    table, play = sides[0].attempts, sides[0]
    here = play.counts[table.player] & ~table.void & (table.level < play.n_levels)
    here &= ~(table.taken | sides[1].attempts.taken)
    given = attribute(play, key).codes >= 0
    return int((here & given).sum()), int((here & ~given).sum())


def require_by_session(play: Play, key: str) -> None:
    """Refuse a key of sessions that changes within some, so that it cannot divide them.

    Raises:
        UsageError: it does.
    """
    if key in play.gated.log.tags and key in play.summary(Varying).names:
        raise UsageError(
            f"--key {key}: it changes within sessions, so that these cannot be divided by it. --key start.{key} compares tries."
        )
