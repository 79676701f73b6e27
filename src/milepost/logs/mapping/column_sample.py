"""A sample of the columns of a foreign log."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Final

from milepost.wording import listed, number, percent, plural, safe

_SHOWN: Final = 4  # examples


@dataclass
class Column:
    """A sample of one column."""

    name: str
    given: int
    values: Counter[str]
    numbers: list[float]

    def evidence(self, of: int) -> str:
        """Return the sample as a comment."""
        examples = [safe(value)[:30] for value, _ in self.values.most_common(_SHOWN)]
        seen = f"in {percent(self.given / of)} of records, {plural(len(self.values), 'value')}"
        if 0 < len(self.values) <= _SHOWN:
            return f"{seen}: {listed(examples)}"
        if self.numeric and self.numbers:
            return f"{seen}, {number(min(self.numbers))} to {number(max(self.numbers))}"
        return f"{seen}, such as {listed(examples)}"

    @property
    def numeric(self) -> bool:
        """Return whether every value is a number."""
        return len(self.numbers) == self.given
