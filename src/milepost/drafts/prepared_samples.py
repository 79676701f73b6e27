"""Ways to make plain records of a foreign log: as they are, out of arrays, from lines of text, or joined from several tables."""

from __future__ import annotations

import re
import sqlite3
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Final

import numpy as np

from milepost.drafts.column_roles import rising_share
from milepost.drafts.folded_fields import quoted, unfolding_query
from milepost.drafts.line_patterns import draft_patterns, starts_with_time
from milepost.drafts.sample_queries import completing_query, halving_queries, join_plan, query_in_database, query_over_files
from milepost.drafts.sampled_table import SampledTable
from milepost.errors import LogError
from milepost.logs.formats.detect import tell
from milepost.logs.formats.registry import FORMATS
from milepost.logs.formats.text_lines import decode_lines, find_pairs
from milepost.logs.formats.xes import draft_path
from milepost.logs.interface import ReadOptions
from milepost.logs.mapping.languages import likeliest_encoding
from milepost.logs.mapping.sampling import EnoughRecords, Sample, flatten
from milepost.logs.mapping.shapes import Selecting
from milepost.logs.mapping.whole_input import source_columns, table_name
from milepost.logs.records.fields import parse_decimal
from milepost.logs.sources.encodings import LOOKED_AT, guess_text_encoding
from milepost.logs.sources.files import Source
from milepost.progress import SILENT, Progress
from milepost.toml import toml_text

_LINES: Final = 3000  # of a text that patterns are drafted from
_FILES: Final = 20  # from which these lines are taken


@dataclass
class PreparedSample:
    """Plain records of a log, and what a log map has to say so that they are made.

    Attributes:
        records: the records, nested objects as dotted paths.
        input: the lines of the map's table `[input]`; ``rows`` those of `[rows]`.
        cells: whether values know no types.
        refused: lines that are no record.
        select: the query that made the records; it may be put around another.
    """

    records: list[Mapping[str, object]]
    cells: bool
    input: list[str] = field(default_factory=list)
    rows: list[str] = field(default_factory=list)
    refused: int = 0
    select: str | None = None

    def selected(self, query: str) -> PreparedSample | None:
        """The records that a query makes of these; None where it fails."""
        inner = Sample()
        stage = Selecting(inner, query, "")
        for number, record in enumerate(self.records, 1):
            stage.add(record, number)
        with suppress(LogError):
            stage.finish()
            return replace(self, records=inner.records, select=query)
        return None


def prepare_samples(sources: Sequence[Source], options: ReadOptions, progress: Progress = SILENT) -> Iterator[PreparedSample]:
    """Yield the ways in which records can be made of a log, the plainest first.

    Raises:
        LogError: a file cannot be read.
    """
    options = replace(options, encoding=guess_encoding(sources[0], options))
    settings = [] if options.encoding is None else [f"encoding = {toml_text(options.encoding)}  # the bytes are not UTF-8"]
    path = draft_path(sources[0], options) if tell(sources[0], options) == "xes" else None
    if path is not None:
        options = replace(options, record=path, form="xml")
        settings.append(f"record = {toml_text(path)}  # the element that comes most often with several columns")
    tables = _tables_in(sources[0], options)
    if len(tables) > 1:
        yield from _join_in_database(sources[0], tables, options)
        return
    problem: LogError | None = None
    try:
        whole = _read(sources, options, progress)
        if _is_text(whole):
            lines = _read_as_lines(sources, options, settings)
            if lines is not None:
                yield lines
        whole.input = settings
        if len(sources) > 1:
            whole.records = _sort_by_time(whole.records)
        yield from _arranged(whole, sources, options, progress)
    except LogError as error:
        problem = error
    if problem is not None:
        lines = _read_as_lines(sources, options, settings)
        if lines is None:
            raise problem
        yield lines


def _sort_by_time(records: list[Mapping[str, object]]) -> list[Mapping[str, object]]:
    """Records of several files in one order: by the column of most different values that rises within each file."""
    table = SampledTable.of([flatten(record) for record in records])
    files = table.columns["source.name"].codes
    orders = [
        (len(column.words), column.times[0])
        for column in table.columns.values()
        if column.times is not None and column.given > 0.99 and rising_share(column.times[0], files) > 0.98
    ]
    if not orders or max(orders, key=lambda entry: entry[0])[0] < 0.2 * len(records):
        return records
    return [records[place] for place in np.argsort(max(orders, key=lambda entry: entry[0])[1], kind="stable")]


def _is_text(whole: PreparedSample) -> bool:
    """Return whether records that were read as those of a table are rather lines of text."""
    header = [name for record in whole.records[:1] for name in record]
    odd = any(find_pairs(name) or "[" in name for name in header) or starts_with_time(header[0]) or len(header) < 2
    return whole.cells and (odd or whole.refused > 0.2 * len(whole.records) or _has_no_header(whole.records))


def _has_no_header(records: Sequence[Mapping[str, object]]) -> bool:
    """Return whether what was taken for the names of columns is rather the first record: its words come again below."""
    names = dict.fromkeys(name for record in records[:50] for name in record)
    header = [name for name in names if parse_decimal(name) is None and not starts_with_time(name)]
    repeats = sum(any(str(record.get(name)).strip() == name.strip() for record in records) for name in header)
    return repeats >= 2 and repeats >= 0.5 * len(header)


def guess_encoding(source: Source, options: ReadOptions) -> str | None:
    """The encoding of a text that is not UTF-8, as its bytes seem to have it."""
    if options.encoding or tell(source, options) not in ("csv", "tsv", "jsonl"):
        return options.encoding
    with source.open(options.max_bytes) as stream:
        head = stream.read(LOOKED_AT)
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    try:
        head[: head.rfind(b"\n") + 1].decode("utf-8-sig")
    except UnicodeDecodeError:
        return likeliest_encoding(head, guess_text_encoding(head))
    return None


def _read(sources: Sequence[Source], options: ReadOptions, progress: Progress) -> PreparedSample:
    sample, cells = Sample(stops=True), False
    for source in sources:
        form = FORMATS[tell(source, options)]
        cells = cells or form.cells
        sample.begin(source_columns(source) if len(sources) > 1 else {})
        try:
            form.read(source, sample, options, progress)
        except EnoughRecords:
            break
    if not sample.records:
        raise LogError(f"{sources[0].label}: no record to look at.")
    return PreparedSample(sample.whole, cells, refused=sample.refused)


def _arranged(
    whole: PreparedSample, sources: Sequence[Source], options: ReadOptions, progress: Progress
) -> Iterator[PreparedSample]:
    """Yield the records as they are, and whatever lies in arrays of them taken out."""
    if len(sources) > 1:
        joined = _join_files(sources, options, whole, progress)
        if joined is not None:
            yield joined
            return
    query = unfolding_query(whole.records) or completing_query(whole.records)
    arranged = whole.selected(query) if query is not None else None
    yield arranged if arranged is not None and arranged.records else _taken_out(whole)
    for query in halving_queries(whole.records):
        arranged = whole.selected(query)
        if arranged is not None:
            yield arranged


def _taken_out(whole: PreparedSample) -> PreparedSample:
    """The records that lie in arrays of others, or the others where there are none."""
    sample = Sample()
    for number, record in enumerate(whole.records):
        sample.add(record, number)
    path = sample.taken_out()
    if path:
        return replace(whole, records=sample.records, rows=[f"explode = [{', '.join(toml_text(name) for name in path)}]"])
    return replace(whole, records=[flatten(record) for record in whole.records])


def _read_as_lines(sources: Sequence[Source], options: ReadOptions, settings: list[str]) -> PreparedSample | None:
    """The records of lines of text, by patterns drafted from lines that are alike."""
    if tell(sources[0], options) not in ("csv", "tsv", "jsonl"):
        return None
    first: list[str] = []
    for source in sources[:_FILES]:
        with source.open(options.max_bytes) as stream:
            first += islice(decode_lines(stream, options.encoding or "utf-8"), _LINES - len(first))
    texts = [text.rstrip("\r\n").lstrip("\ufeff") for text in first if text.strip()]
    if not texts or texts[0].lstrip().startswith(("{", "[{")):
        return None
    pairs = sum(len(find_pairs(text)) >= 2 for text in texts)
    if "," in texts[0] and pairs < 0.3 * len(texts) and len({text.count(",") for text in texts}) == 1:
        return None  # a table
    patterns = draft_patterns(texts)
    if not patterns:
        return None
    patterns = _pick_core_patterns(patterns, texts)
    sample = Sample(stops=True)
    with_patterns = replace(options, lines=tuple(patterns), form="lines")
    for source in sources:
        sample.begin(source_columns(source) if len(sources) > 1 else {})
        try:
            FORMATS["lines"].read(source, sample, with_patterns, SILENT)
        except EnoughRecords:
            break
        except LogError:
            return None
    written = ["lines = [", *(f"  '''{pattern}'''," for pattern in patterns), "]"]
    return PreparedSample(sample.records, True, [*settings, *written])


def _pick_core_patterns(patterns: list[str], texts: Sequence[str]) -> list[str]:
    """The patterns that find the column which most lines have, besides the time; others are of lines that say something else."""
    compiled = [re.compile(pattern) for pattern in patterns]
    met: Counter[str] = Counter()
    for text in texts:
        match = next((hit for pattern in compiled if (hit := pattern.fullmatch(text))), None)
        met.update(set(match.groupdict()) - {"time", "what"} if match is not None else ())
    core = met.most_common(1)[0][0] if met else None
    kept = [pattern for pattern, regex in zip(patterns, compiled, strict=True) if core in regex.groupindex]
    return kept or patterns


def _join_files(
    sources: Sequence[Source], options: ReadOptions, whole: PreparedSample, progress: Progress
) -> PreparedSample | None:
    """The records of several files that are tables with a key in common; None where they are not."""
    if len(sources) > 4:
        return None
    tables = {table_name(source.label): _read([source], options, progress).records for source in sources}
    if len(tables) < len(sources):
        return None
    plan = join_plan(tables)
    if plan is None:
        return None
    query = query_over_files(tables, plan)
    inner = Sample()
    stage = Selecting(inner, query, "")
    stage.tables = {name: list(records) for name, records in tables.items()}
    stage.records = list(tables[plan.main])
    try:
        stage.finish()
    except LogError:
        return None
    return replace(whole, records=inner.records, select=query)


def _tables_in(source: Source, options: ReadOptions) -> list[str]:
    """The tables of a database, where none is named."""
    if source.table or options.query or source.path is None or tell(source, options) != "sqlite":
        return []
    with suppress(sqlite3.Error), closing(sqlite3.connect(f"{source.path.resolve().as_uri()}?mode=ro", uri=True)) as base:
        listed = base.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name")
        return [str(row[0]) for row in listed]
    return []


def _join_in_database(source: Source, tables: list[str], options: ReadOptions) -> Iterator[PreparedSample]:
    """Yield the records of a database's tables joined by their keys, or those of each table."""
    samples = {}
    for name in tables:
        with suppress(LogError):
            samples[name] = _read([replace(source, table=name)], options, SILENT)
    records = {name: sample.records for name, sample in samples.items()}
    main = max(records, key=lambda name: len(records[name]), default=None)
    if main is None:
        raise LogError(f"{source.label}: no table with records.")
    plan = None
    for kept in (list(records), *([main, name] for name in records if name != main)):
        plan = plan or join_plan({name: records[name] for name in kept})
    queries = [query_in_database(records, plan)] if plan is not None else []
    for query in [*queries, f"SELECT * FROM {quoted(main)}"]:
        sample = Sample(stops=True)
        try:
            FORMATS["sqlite"].read(source, sample, replace(options, query=query), SILENT)
        except EnoughRecords:
            pass
        except LogError:
            continue
        yield PreparedSample(sample.records, True, [f"query = {toml_text(query)}"])
