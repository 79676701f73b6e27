"""OpenTelemetry's log records in JSON: the figures are those of the same play in our own form."""

import json

from one_play import own_form


def attributes(fields):
    kinds = {str: "stringValue", int: "intValue", float: "doubleValue", bool: "boolValue"}
    return [
        {"key": name, "value": {kinds[type(value)]: str(value) if type(value) is int else value}}
        for name, value in fields.items()
    ]


def export(records, **resource):
    return {
        "resourceLogs": [
            {"resource": {"attributes": attributes(resource)}, "scopeLogs": [{"scope": {"name": "game"}, "logRecords": records}]}
        ]
    }


def record(line, event):
    nanos = str(1_790_000_000 * 10**9 + round(line["time"] * 10**9))
    return {
        "timeUnixNano": nanos,
        "attributes": attributes({"session.id": line["session"], "user.id": line["player"], "level": line["level"], "wave": 3}),
        **event,
    }


def test_same_figures(milepost):
    """By event name, by attribute, and by body; several exports a file, the build from the resource."""
    lines = own_form()
    milepost.write("own.jsonl", [line | {"build": "0.8"} for line in lines])
    ways = [lambda e: {"eventName": f"game.{e}"}, lambda e: {"body": {"stringValue": e}}, lambda e: {}]
    records = [record(line, ways[n % 3](line["event"])) for n, line in enumerate(lines)]
    for n, line in enumerate(lines):
        if n % 3 == 2:
            records[n]["attributes"] += attributes({"event.name": line["event"]})
    milepost.write(
        "otlp.jsonl", [export(records[:7], **{"service.version": "0.8"}), export(records[7:], **{"service.version": "0.8"})]
    )
    milepost.write("one.json", json.dumps(export(records, **{"service.version": "0.8"})))
    for name in ("otlp.jsonl", "one.json"):
        for command in ("funnel", "attempts", "deaths"):
            assert (
                milepost.json(command, name, "--repeat-window", "0.05")["levels"]
                == milepost.json(command, "own.jsonl", "--repeat-window", "0.05")["levels"]
            )
        assert milepost.json("check", name)["builds"] == {"0.8": 2}


def test_what_is_none_is_refused(milepost):
    good = record(own_form()[0], {"eventName": "start"})
    milepost.write("otlp.jsonl", [export([good, {"body": {"stringValue": "start"}}, {**good, "timeUnixNano": "x"}])])
    found = milepost.json("check", "otlp.jsonl")
    assert found["used"] == 1 and found["findings"]["unreadable_record"] == 2
    assert "session" in milepost("map", "otlp.jsonl").stdout
