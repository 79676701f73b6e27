"""Files that are no log as it is read here: what they seem to be, and what would do."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Final

_HEAD: Final = 4096
_LINES: Final = 5
_PAIR: Final = re.compile(r'[A-Za-z_][\w.-]*=("(?:[^"\\]|\\.)*"|\S*)')
_YAML: Final = re.compile(r"\s*(-\s+)?[A-Za-z_][\w .-]*:(\s.*)?")
_SYSLOG: Final = re.compile(r"(<\d{1,3}>.*|[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d .+)")
_AS_TABLE: Final = "Save the sheet with the log as CSV, and name that."
_AS_LINES: Final = "It is read through a log map; milepost map LOG drafts one."
_BYTES: Final = (
    (b"PK\x03\x04", "a workbook or another archive (zip)", _AS_TABLE),
    (b"\xd0\xcf\x11\xe0", "an old workbook (xls)", _AS_TABLE),
    (b"\xd9\xd9\xf7", "CBOR", _AS_LINES),
    (b"%PDF", "a PDF", "Export the log itself."),
    (b"\x89PNG", "a picture", "Name the log itself."),
    (b"\xff\xd8\xff", "a picture", "Name the log itself."),
)


def seems_to_be_no_log(head: bytes) -> str | None:
    """Return a sentence on what an unreadable file seems to be, and what would help; None if it is unclear."""
    for mark, kind, hint in _BYTES:
        if head.startswith(mark):
            return f"it seems to be {kind}. {hint}"
    text = head.removeprefix(b"\xef\xbb\xbf")
    try:
        lines = [line for line in text.decode("utf-8").splitlines() if line.strip()][:_LINES]
    except UnicodeDecodeError as error:
        if error.start < len(text) - 4 and b"\0" in text:
            return f"it seems to be a file of bytes, and no text. {_AS_LINES}"
        lines = [line for line in text.decode("utf-8", "replace").splitlines() if line.strip()][:_LINES]
    if not lines:
        return None
    first = lines[0].lstrip().casefold()
    if first.startswith(("<!doctype html", "<html")):
        return "it seems to be a page of HTML: an error page, or a log-in? Fetch the log itself."
    for kind, fits in (("logfmt (key=value)", _is_logfmt), ("syslog", _SYSLOG.fullmatch), ("YAML", _is_yaml)):
        if all(fits(line) for line in lines):
            return f"it seems to be {kind}. {_AS_LINES}"
    if not first.startswith(("{", "[", "<")) and not any(mark in lines[0] for mark in ",;\t|"):
        return f"it seems to be lines of text. {_AS_LINES}"
    return None


def kind_of_file(path: str | Path) -> str | None:
    """Return that sentence for a file; None if it cannot be read."""
    try:
        with Path(path).open("rb") as stream:
            return seems_to_be_no_log(stream.read(_HEAD))
    except (OSError, ValueError):
        return None


def _is_logfmt(line: str) -> bool:
    rest = _PAIR.sub("", line)
    return len(_PAIR.findall(line)) >= 2 and len(rest.strip()) <= len(line) // 4


def _is_yaml(line: str) -> bool:
    return line.strip() in ("---", "...") or _YAML.fullmatch(line) is not None
