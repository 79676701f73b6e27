"""A store's manifest: what cannot be is refused, and who reads while another adds reads what was there."""

import copy
import json
import os
import random
import subprocess
from contextlib import suppress
from pathlib import Path

import pytest

from driving import PROGRAM
from milepost.errors import LogError
from milepost.logs.store.manifest import earlier_name, read_manifest, require_no_links
from milepost.partitions.partitioned_source import opened_store


@pytest.fixture
def store(milepost, small_log):
    """A store of several players."""
    milepost.write(
        "log.jsonl", [line | {"session": f"{line['session']}{n}", "player": f"p{n}"} for n in range(20) for line in small_log]
    )
    assert milepost("pack", "log.jsonl", "-o", "kept").returncode == 0
    return milepost


def changed(store, change):
    """What a command says of the store with a changed manifest."""
    path = store.folder / "kept/store.json"
    before = path.read_text()
    manifest = json.loads(before)
    change(manifest)
    path.write_text(json.dumps(manifest))
    done = store("funnel", "kept")
    path.write_text(before)
    return done


@pytest.mark.parametrize(
    "change",
    [
        lambda m: m["records"].pop(),
        lambda m: m["records"].clear(),
        lambda m: m.update(rows=m["rows"] - 1),
        lambda m: m["tables"].pop("names"),
        lambda m: m["records"][0].update(rows="7"),
        lambda m: m["records"][0].update(file="../../log.jsonl"),
        lambda m: m["records"][0].update(part=99),
        lambda m: m.update(parts=0),
        lambda m: m.update(parts="16"),
        lambda m: m.update(joined=[[1]]),
        lambda m: m.update(tables=[]),
        lambda m: m.update(version=2),
        lambda m: m.update(sources=[1]),
        lambda m: m.update(found={"a": "b"}),
        lambda m: m.update(more=1),
        lambda m: m.update(additions=None),
        lambda m: m["tables"]["names"].update(sha256=5),
        lambda m: m.update(debug_only=[1]),
        lambda m: m.pop("kind"),
    ],
)
def test_what_a_manifest_cannot_say(store, change):
    """An entry taken out, another type, a path out of the folder: one line, and no player vanishes without a word."""
    done = changed(store, change)
    assert (done.returncode, done.stdout, done.stderr.count("\n")) == (2, "", 1), done.stderr
    assert "Pack the logs again" in done.stderr


def test_any_value_in_any_place(store):
    """Whatever is put into a manifest is refused in a line, or changes nothing that is counted."""
    path = store.folder / "kept/store.json"
    whole, expected = json.loads(path.read_text()), store.json("funnel", "kept")["levels"]
    for seed in range(120):
        rng, manifest = random.Random(seed), copy.deepcopy(whole)
        inner, key = manifest, rng.choice(list(manifest))
        while isinstance(inner[key], dict | list) and inner[key] and rng.random() < 0.8:
            inner = inner[key]
            key = rng.choice(list(inner)) if isinstance(inner, dict) else rng.randrange(len(inner))
        inner[key] = rng.choice([None, 1, -1, "x", [], {}, 1.5, True, [[1, 2]], "../x.parquet", 10**30, ""])
        path.write_text(json.dumps(manifest))
        with suppress(LogError):
            read_manifest(store.folder / "kept")
            done = store("funnel", "kept", "--format", "json")
            assert done.returncode == 2 or json.loads(done.stdout)["levels"] == expected


@pytest.mark.thorough
def test_reading_while_others_add(store, small_log):
    """Each of many reads gives a whole state of the store, while one addition follows the other; so does work by parts."""
    for n in range(6):
        store.write(
            f"more/{n:02d}.jsonl", [line | {"session": f"{n}-{line['session']}", "player": f"q{n}"} for line in small_log]
        )
    shell = f"for f in more/*.jsonl; do '{PROGRAM}' pack $f -o kept --add 2>/dev/null || exit 1; done"
    adding = subprocess.Popen(["bash", "-c", shell], cwd=store.folder)
    seen = []
    while adding.poll() is None:
        for more in ((), ("--memory", "1MB")):
            seen.append(store.json("funnel", "kept", *more)["players"])
    assert adding.returncode == 0 and seen == sorted(seen) and set(seen) <= {20 + n for n in range(7)}
    assert store.json("funnel", "kept")["players"] == 26


def test_another_store_of_the_same_name(store, small_log):
    """A worker that knew a store does not take another one for it that was packed in its place."""
    folder = store.folder / "kept"
    before = read_manifest(folder)
    opened_store(str(folder), before.additions, before.stamp())
    for path in [*folder.glob("store*.json"), *folder.glob("*.parquet")]:
        path.unlink()
    store.write("other.jsonl", small_log)
    assert store("pack", "other.jsonl", "-o", "kept").returncode == 0
    after = read_manifest(folder)
    assert after.additions == before.additions and after.stamp() != before.stamp()
    assert opened_store(str(folder), after.additions, after.stamp())[1].sessions.name == ["a", "b"]
    with pytest.raises(LogError, match="packed anew"):
        opened_store(str(folder), after.additions, "x")
    (folder / earlier_name(after)).unlink()
    opened_store.cache_clear()
    assert store("funnel", "kept", "--memory", "1MB").returncode == 2


def test_a_grown_log(store, small_log):
    """Of a log that has grown since it was packed only what came is read, whether by pack --add or after watch."""
    more = [line | {"session": f"new-{line['session']}", "player": "new"} for line in small_log]
    path = store.folder / "log.jsonl"
    with path.open("a") as log:
        log.writelines(json.dumps(line) + "\n" for line in more[:5])
    done = store("pack", "log.jsonl", "-o", "kept", "--add")
    assert "5 records packed" in done.stderr
    with path.open("a") as log:
        log.write("\n".join(json.dumps(line) for line in more[5:]))  # without a last end of line
    assert f"{len(more) - 5} records packed" in store("pack", "log.jsonl", "-o", "kept", "--add").stderr
    assert store.json("check", "kept")["findings"] == store.json("check", "log.jsonl")["findings"]
    assert store.json("funnel", "kept")["levels"] == store.json("funnel", "log.jsonl")["levels"]
    with path.open("a") as log:
        log.write(', "x": 1}\n')
    done = store("pack", "log.jsonl", "-o", "kept", "--add")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1) and "--force packs anew" in done.stderr


def test_looking_through_while_others_take_folders_away(tmp_path, monkeypatch):
    """A folder of kept answers that goes between two looks is no damage to the store; a missing store is none either."""
    for n in range(5):
        (tmp_path / f"records/{n}").mkdir(parents=True)
    scandir = os.scandir

    def taken_away(folder):
        if str(folder).endswith("records/3"):
            Path(folder).rmdir()
        return scandir(folder)

    monkeypatch.setattr("os.scandir", taken_away)
    require_no_links(tmp_path)
    require_no_links(tmp_path / "missing")
    (tmp_path / "records/4/link").symlink_to("elsewhere")
    with pytest.raises(LogError, match="is a link"):
        require_no_links(tmp_path)
