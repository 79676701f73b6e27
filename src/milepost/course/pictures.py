"""A picture of a level's map, and where it lies among the coordinates that the log gives."""

from __future__ import annotations

from math import isfinite
from pathlib import Path
from typing import TypedDict

from milepost.errors import CourseError


class MapPicture(TypedDict):
    """A picture, and the coordinates of its lower left and its upper right corner."""

    file: str
    left: float
    bottom: float
    right: float
    top: float


def read_picture(name: object, corners: object, folder: Path, where: str) -> MapPicture | None:
    """The picture of a level; None where it has none.

    Args:
        name: the picture's file, relative to the course's.
        corners: x and y of its lower left corner, then of its upper right one.
        folder: where the course lies.
        where: how messages name the level.

    Raises:
        CourseError: there is no such file, or the corners are not two corners.
    """
    if name is None and corners is None:
        return None
    if not isinstance(name, str) or not name:
        raise CourseError(f"{where}: map must be the name of a picture, not {name!r}.")
    if not (folder / name).is_file():
        raise CourseError(f"{where}: map: there is no picture {name!r} beside the course. Name one that is there.")
    numbers = corners if isinstance(corners, list) and len(corners) == 4 else []
    if not numbers or any(isinstance(one, bool) or not isinstance(one, int | float) or not isfinite(one) for one in numbers):
        raise CourseError(f"{where}: map_corners must be x and y of two corners, such as [0, 0, 100, 40], not {corners!r}.")
    left, bottom, right, top = map(float, numbers)
    if left == right or bottom == top:
        raise CourseError(f"{where}: map_corners: the corners {corners!r} have no room between them.")
    return MapPicture(file=str(folder / name), left=left, bottom=bottom, right=right, top=top)
