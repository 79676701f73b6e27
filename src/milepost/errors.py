"""Errors, each one sentence on what is wrong, where, and what to do."""

from __future__ import annotations


class MilePostError(Exception):
    """The base of every error that a user can cause and can mend: one line, also where a library's words have several."""

    def __str__(self) -> str:
        """Return the sentence, in one line."""
        return " ".join(super().__str__().splitlines())


class LogError(MilePostError):
    """A log that cannot be found, opened or used."""


class UnknownLogError(LogError):
    """A log of which no record can be used as it is; a log map may read it."""


class CourseError(MilePostError):
    """A course file that cannot be used."""


class MapError(MilePostError):
    """A log map that cannot be used."""


class FolderError(MilePostError):
    """A file of the playtest folder that cannot be used."""


class OutputError(MilePostError):
    """An output that cannot be written."""


class UsageError(MilePostError):
    """Options that contradict each other or ask for what does not exist."""


class RecordsGoneError(UsageError):
    """Something that needs records was asked of a play that has let them go."""

    def __init__(self) -> None:
        super().__init__(
            "this needs the records themselves, which a log that is replayed in parts, as a large one is, lets go. "
            "Replay the log as a whole: with every_record=True."
        )


class AttemptsGoneError(MilePostError):
    """Something that needs single attempts was asked of a log of which only counts were kept."""

    def __init__(self) -> None:
        super().__init__("this needs single attempts, of which only counts were kept. Replay the log with its attempts.")


class WorkError(MilePostError):
    """Work over parts that cannot be done where it was to be done."""


def unknown_word(name: str, given: str, words: tuple[str, ...]) -> UsageError:
    """Return the error about a setting that is none of its words."""
    return UsageError(f"{name}={given!r}: give {' or '.join(map(repr, words))}.")


def require_true(holds: bool, why: str) -> None:
    """Check something that is read from a file of ours.

    Raises:
        ValueError: it does not hold.
    """
    if not holds:
        raise ValueError(why)
