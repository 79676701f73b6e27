"""The same measures by other means, on a log that is taken to be clean; run by speed.py.

peers.py parse|sql|polars|pandas LOG writes parse.json, sql.json, polars.json or pandas.json.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

COLUMNS = {
    "session": "VARCHAR",
    "time": "DOUBLE",
    "event": "VARCHAR",
    "level": "VARCHAR",
    "to": "VARCHAR",
    "player": "VARCHAR",
    "cause": "VARCHAR",
    "progress": "DOUBLE",
    "build": "VARCHAR",
    "platform": "VARCHAR",
    "x": "DOUBLE",
    "y": "DOUBLE",
}

# An attempt runs from a start or retry to the next record of its session that closes it, less what was paused between;
# players are named at the start of a session.
ATTEMPTS = """
CREATE TABLE who AS SELECT session, max(player) AS player, min(rowid) AS first FROM log GROUP BY session;
CREATE TABLE timed AS
SELECT session, time, event, level, cause, progress, rowid AS place,
       coalesce(sum(CASE event WHEN 'pause' THEN -time WHEN 'resume' THEN time END) OVER (
           PARTITION BY session ORDER BY time, rowid), 0) AS paused
FROM log WHERE event IN ('start', 'retry', 'death', 'reset', 'complete', 'transition', 'session_end', 'pause', 'resume');
CREATE TABLE steps AS
SELECT *, lead(event) OVER own AS next_event, lead(time) OVER own AS next_time, lead(cause) OVER own AS next_cause,
       lead(progress) OVER own AS next_progress, lead(paused) OVER own AS next_paused
FROM timed WHERE event NOT IN ('pause', 'resume')
WINDOW own AS (PARTITION BY session ORDER BY time, place);
CREATE TABLE attempts AS
SELECT player, level, next_event AS outcome, next_cause AS cause, next_progress AS progress,
       next_time - time - (next_paused - paused) AS took,
       coalesce(sum(CASE WHEN next_event = 'complete' THEN 1 ELSE 0 END) OVER (PARTITION BY player, level
           ORDER BY first, time, place ROWS BETWEEN UNBOUNDED PRECEDING AND 1 PRECEDING), 0) > 0 AS rerun
FROM steps JOIN who USING (session) WHERE event IN ('start', 'retry');
"""
MEASURES = """
WITH cells AS (
    SELECT level, player, count(*) FILTER (outcome IN ('death', 'reset', 'complete')) AS k,
           bool_or(outcome = 'complete') AS cleared, sum(took) AS seconds
    FROM attempts WHERE NOT rerun GROUP BY level, player),
by_level AS (
    SELECT level, count(*) AS reached, count(*) FILTER (cleared) AS cleared, sum(k)::BIGINT AS tries,
           quantile_disc(CASE WHEN cleared THEN k ELSE 1000000 END, [0.25, 0.5, 0.75, 0.9]) AS attempts,
           quantile_disc(CASE WHEN cleared THEN seconds ELSE 1e9 END, [0.1, 0.25, 0.5, 0.75, 0.9]) AS seconds
    FROM cells GROUP BY level),
single AS (
    SELECT level, median(took) FILTER (outcome = 'complete' AND NOT rerun) AS run_p50,
           median(took) FILTER (outcome IN ('death', 'reset') AND NOT rerun) AS fail_p50,
           count(*) FILTER (outcome = 'death') AS deaths
    FROM attempts GROUP BY level)
SELECT level, reached, cleared, tries, deaths, run_p50, fail_p50, attempts, seconds FROM by_level JOIN single USING (level)
"""
MORE = (
    "SELECT level, cause, count(*), count(DISTINCT player), list(floor(progress * 10)) FROM attempts "
    "WHERE outcome = 'death' GROUP BY ALL",
    "SELECT level, \"to\", count(*) FROM log WHERE event = 'transition' GROUP BY ALL",
    "SELECT level, k, count(*) FROM (SELECT level, player, count(*) AS k FROM attempts WHERE NOT rerun GROUP BY ALL) "
    "GROUP BY ALL",
    "SELECT cause, count(*) FROM log WHERE event = 'session_end' GROUP BY ALL",
)


def parsed(path: str) -> Any:
    """The log as columns in DuckDB."""
    import duckdb

    base = duckdb.connect()
    base.execute("SET preserve_insertion_order = true")
    base.execute("CREATE TABLE log AS SELECT * FROM read_json(?, format='newline_delimited', columns=?)", [path, COLUMNS])
    return base


def by_sql(path: str) -> list[dict[str, Any]]:
    """The measures by DuckDB."""
    base = parsed(path)
    base.execute(ATTEMPTS)
    for query in MORE:
        base.execute(query).fetchall()
    names = ("level", "reached", "cleared", "tries", "deaths", "run_p50")
    return [dict(zip(names, row, strict=False)) for row in base.execute(MEASURES).fetchall()]


def by_polars(path: str) -> list[dict[str, Any]]:
    """The measures by Polars."""
    import polars as pl

    kinds = {name: pl.Float64 if kind == "DOUBLE" else pl.String for name, kind in COLUMNS.items()}
    log = pl.read_ndjson(path, schema=kinds).with_row_index("place")
    who = log.group_by("session").agg(pl.col("player").max(), pl.col("place").min().alias("first"))
    kept = ["start", "retry", "death", "reset", "complete", "transition", "session_end", "pause", "resume"]
    sign = (pl.col("event") == "resume").cast(pl.Float64) - (pl.col("event") == "pause").cast(pl.Float64)
    timed = log.filter(pl.col("event").is_in(kept)).sort("session", "time", "place")
    timed = timed.with_columns((sign * pl.col("time")).cum_sum().over("session").alias("paused"))
    steps = timed.filter(~pl.col("event").is_in(["pause", "resume"])).with_columns(
        pl.col("event", "time", "cause", "paused").shift(-1).over("session").name.prefix("next_")
    )
    tries = steps.filter(pl.col("event").is_in(["start", "retry"])).drop("player").join(who, on="session")
    tries = tries.sort("player", "level", "first", "time", "place").with_columns(
        (pl.col("next_event") == "complete").fill_null(False).alias("done")
    )
    before = pl.col("done").cast(pl.Int64).cum_sum().over("player", "level") - pl.col("done").cast(pl.Int64)
    took = pl.col("next_time") - pl.col("time") - (pl.col("next_paused") - pl.col("paused"))
    tries = tries.with_columns((before > 0).alias("rerun"), took.alias("took"))
    first = ~pl.col("rerun")
    settled = pl.col("next_event").is_in(["death", "reset", "complete"])
    found = tries.group_by("level").agg(
        pl.col("player").filter(first).n_unique().alias("reached"),
        pl.col("player").filter(first & pl.col("done")).n_unique().alias("cleared"),
        (first & settled).sum().alias("tries"),
        (pl.col("next_event") == "death").sum().alias("deaths"),
        pl.col("took").filter(first & pl.col("done")).median().alias("run_p50"),
    )
    tries.filter(pl.col("next_event") == "death").group_by("level", "next_cause").agg(pl.len(), pl.col("player").n_unique())
    log.filter(pl.col("event") == "transition").group_by("level", "to").len()
    return found.to_dicts()


def by_pandas(path: str) -> list[dict[str, Any]]:
    """The measures by pandas."""
    import pandas as pd

    kinds: dict[str, Any] = {name: "float64" if kind == "DOUBLE" else "object" for name, kind in COLUMNS.items()}
    log = pd.read_json(path, lines=True, dtype=kinds, convert_dates=False)
    log["place"] = range(len(log))
    who = log.groupby("session").agg(who=("player", "first"), first=("place", "min"))
    kept = ["start", "retry", "death", "reset", "complete", "transition", "session_end", "pause", "resume"]
    timed = log[log["event"].isin(kept)].sort_values(["session", "time", "place"])
    sign = (timed["event"] == "resume").astype(float) - (timed["event"] == "pause").astype(float)
    timed["paused"] = (sign * timed["time"]).groupby(timed["session"]).cumsum()
    steps = timed[~timed["event"].isin(["pause", "resume"])]
    following = steps.groupby("session")[["event", "time", "cause", "paused"]].shift(-1).add_prefix("next_")
    steps = steps.drop(columns="player").join(following).join(who, on="session")
    tries = steps[steps["event"].isin(["start", "retry"])].sort_values(["who", "level", "first", "time", "place"])
    tries["took"] = tries["next_time"] - tries["time"] - (tries["next_paused"] - tries["paused"])
    tries["done"] = tries["next_event"] == "complete"
    done = tries.groupby(["who", "level"])["done"].cumsum() - tries["done"]
    first = tries[done == 0]
    settled = first[first["next_event"].isin(["death", "reset", "complete"])]
    died = tries[tries["next_event"] == "death"]
    found = pd.DataFrame(
        {
            "reached": first.groupby("level")["who"].nunique(),
            "cleared": first[first["done"]].groupby("level")["who"].nunique(),
            "tries": settled.groupby("level").size(),
            "deaths": died.groupby("level").size(),
            "run_p50": first[first["done"]].groupby("level")["took"].median(),
        }
    ).fillna({"cleared": 0, "tries": 0, "deaths": 0})
    died.groupby(["level", "next_cause"])["who"].agg(["size", "nunique"])
    log[log["event"] == "transition"].groupby(["level", "to"]).size()
    return [{"level": row.Index, **row._asdict()} for row in found.itertuples()]


def main() -> None:
    """Do what the first argument says with the log that the second one names."""
    how, path = sys.argv[1:3]
    if how == "parse":
        result: Any = parsed(path).execute("SELECT count(*) FROM log").fetchone()
    else:
        result = {"sql": by_sql, "polars": by_polars, "pandas": by_pandas}[how](path)
    Path(f"{how}.json").write_text(json.dumps(result))


if __name__ == "__main__":
    main()
