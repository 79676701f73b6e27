"""RFC 3339 time stamps as whole nanoseconds, so that no precision is lost before times are made relative."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

_STAMP = re.compile(r"(\d{4})-(\d\d)-(\d\d)[Tt ](\d\d):(\d\d):(\d\d)(?:\.(\d+))?(?:([Zz])|([+-])(\d\d):(\d\d))", re.ASCII)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
NANO = 1_000_000_000


def nanoseconds(stamp: str) -> int | None:
    """Nanoseconds since 1970 of a time stamp with its offset; None where the text is no such stamp.

    Digits beyond the ninth of a fraction are cut off. A leap second counts as the first second of the next minute.
    """
    match = _STAMP.fullmatch(stamp)
    if match is None:
        return None
    year, month, day, hour, minute, second = (int(part) for part in match.groups()[:6])
    fraction, zulu, sign, off_hours, off_minutes = match.groups()[6:]
    offset = 0 if zulu else (int(off_hours) * 60 + int(off_minutes)) * (-1 if sign == "-" else 1)
    if second > 60 or (not zulu and (int(off_hours) > 23 or int(off_minutes) > 59)):
        return None
    try:
        moment = datetime(year, month, day, hour, minute, min(second, 59), tzinfo=UTC)
    except ValueError:
        return None
    whole = (moment - _EPOCH) // timedelta(seconds=1) + (second == 60) - offset * 60
    return whole * NANO + int((fraction or "0")[:9].ljust(9, "0"))
