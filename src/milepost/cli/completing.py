"""Completion for shells: options from the parser, names from the folder's course and log."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Final

from milepost.cli.arguments import Arguments

if TYPE_CHECKING:
    from milepost.logs.interface import Log

_LARGEST: Final = 100 << 20  # bytes of a log that is read to complete a name
_FEW: Final = 300  # names beyond which a list of them helps nobody


def complete(parser: argparse.ArgumentParser) -> None:
    """Answer a shell that asks what may come next, and end; nothing where no shell asks."""
    import argcomplete

    for action in vars(parser._subparsers)["_group_actions"][0].choices.values() if parser._subparsers else ():
        for option in action._actions:
            if option.dest in _OFFERED:
                option.completer = _quietly(_OFFERED[option.dest])
            if option.dest == "name" and action.prog.endswith(" level"):
                option.completer = _quietly(levels)
    argcomplete.autocomplete(parser, always_complete_options=True)


def _quietly(names: Callable[[Arguments], Iterable[str]]) -> Callable[..., list[str]]:
    """A completer that offers nothing where anything goes wrong: a half-written command line is no place for errors."""

    def offered(prefix: str, parsed_args: argparse.Namespace, **_: object) -> list[str]:
        try:
            known = names(Arguments(**vars(parsed_args)))
            return list(dict.fromkeys(name for name in known if name.startswith(prefix)))[:_FEW]
        except Exception:  # whatever it is, the shell goes on
            return []

    return offered


def levels(args: Arguments) -> list[str]:
    """The levels of the course, by all their names."""
    from milepost.course.course import read_course
    from milepost.folder.settings import find_folder

    folder = find_folder()
    path = args.course or (folder.path("course") if folder else None)
    return [name for level in read_course(path).levels for name in level.known_as()] if path else []


def sessions(args: Arguments) -> list[str]:
    """The sessions of the log, and the players."""
    log = _log(args)
    return [*log.sessions.name, *(player for player in log.sessions.player if player)] if log else []


def builds(args: Arguments) -> list[str]:
    """The builds of the log."""
    log = _log(args)
    return [build for build in log.sessions.build if build] if log else []


def tags(args: Arguments) -> list[str]:
    """Return the keys by which sessions can be grouped."""
    log = _log(args)
    return (
        ["player", "build", "session", "sitting", *(name for of_session in log.sessions.tags for name in of_session)]
        if log
        else []
    )


def conditions(args: Arguments) -> list[str]:
    """Conditions on what sessions can be told apart by."""
    log = _log(args)
    return [f"{name}={value}" for of_session in log.sessions.tags for name, value in of_session.items()] if log else []


def codes(args: Arguments) -> list[str]:
    """Return the codes that `--exclude` takes."""
    from milepost.audit.exclusions import ACTS

    return sorted(ACTS)


def _log(args: Arguments) -> Log | None:
    """The log that is named, or the folder's, with the tags of its players; none where it is too large to be read for this."""
    from milepost.folder.player_table import read_players, with_players
    from milepost.folder.settings import find_folder
    from milepost.logs.mapping.logmap import NO_MAP, read_map
    from milepost.logs.read import read
    from milepost.logs.sources.files import expand

    folder = find_folder()
    names = args.logs or (folder.log_paths() if folder else [])
    if not names or sum(source.size() for source in expand(names)) > _LARGEST:
        return None
    path = folder.path("map") if folder else None
    log = read(names, read_map(path) if path else NO_MAP)
    players = folder.path("players") if folder else None
    return with_players(log, read_players(players) if players else None)


_OFFERED: Final[dict[str, Callable[[Arguments], Iterable[str]]]] = {
    "level": levels,
    "untouched": levels,
    "session": sessions,
    "player": sessions,
    "before": builds,
    "after": builds,
    "build": builds,
    "by": tags,
    "where": conditions,
    "exclude": codes,
}
