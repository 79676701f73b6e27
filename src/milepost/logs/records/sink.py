"""Steps from a logged record to one that is checked: unpacked, translated, typed; the same for every format."""

from __future__ import annotations

from collections.abc import Mapping

from milepost.logs.formats.envelope import is_envelope, unpacked
from milepost.logs.formats.otlp import is_export, log_records
from milepost.logs.interface import Place
from milepost.logs.mapping.logmap import IGNORE
from milepost.logs.records.builder import RecordBuilder
from milepost.logs.records.record_hash import likeness
from milepost.logs.records.translation import Translator
from milepost.logs.records.untyped_cells import typed


class RecordSink:
    """Takes the records of one file as logged and gives them to the builder by our names."""

    def __init__(self, builder: RecordBuilder, file: int, translator: Translator | None, cells: bool) -> None:
        self.builder, self.file, self.translator, self.cells = builder, file, translator, cells

    def add(self, record: Mapping[str, object], line: int) -> None:
        """Take a record as logged."""
        if is_export(record):
            self._unpack(record, line)
            return
        alike = likeness(record)
        if is_envelope(record):
            record = unpacked(record)
        if self.translator is not None:
            record = self.translator.translated(record, self.cells)
            if record.get("event") == IGNORE:
                self.translator.use.ignored += 1
                return
        if self.cells:
            record = typed(dict(record))
        self.builder.add(record, Place(self.file, line), alike)

    def finish(self) -> None:
        """Nothing is left."""

    def _unpack(self, export: Mapping[str, object], line: int) -> None:
        for record in log_records(export):
            if isinstance(record, str):
                self.refuse(line, record)
            else:
                self.add(record, line)

    def refuse(self, line: int, reason: str) -> None:
        """Note that something there is no record."""
        self.builder.refuse(Place(self.file, line), reason)
