"""Rows of an audit that others have in theirs."""

from __future__ import annotations

from typing import TypedDict

# A figure of a level, with the suspects in it and without them.
Excluding = TypedDict("Excluding", {"level": str, "figure": str, "with": float | None, "without": float | None})
