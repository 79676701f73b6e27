"""A checksum is that of the file as it is now."""

import os
from hashlib import sha256

import pytest

from milepost.logs.store import manifest as checksums
from milepost.logs.store.manifest import checksum, take_checksums_ahead


def test_of_a_file_that_changes(tmp_path):
    """Written anew, replaced by another file of the same size and time, or gone."""
    path, other = tmp_path / "log.jsonl", tmp_path / "other.jsonl"
    for content in (b"one", b"twoo"):
        path.write_bytes(content)
        assert checksum(path) == checksum(path) == sha256(content).hexdigest()
    other.write_bytes(b"four")
    state = path.stat()
    os.utime(other, ns=(state.st_atime_ns, state.st_mtime_ns))
    other.replace(path)
    assert checksum(path) == sha256(b"four").hexdigest()
    path.unlink()
    with pytest.raises(OSError, match=r"log\.jsonl"):
        checksum(path)


def test_taken_beside_other_work(tmp_path, monkeypatch):
    """Of large files, once each; of one that is written to meanwhile, that of what it is when it is asked for."""
    monkeypatch.setattr(checksums, "_LONG", 4)
    small, large, changed, gone = (tmp_path / name for name in ("small", "large", "changed", "gone"))
    for path in (small, large, changed, gone):
        path.write_bytes(path.name.encode()[:3] if path is small else path.name.encode())
    taken, begun = checksums._take_checksum, []
    monkeypatch.setattr(checksums, "_take_checksum", lambda path: begun.append(path.name) or taken(path))
    take_checksums_ahead([small, large, changed, tmp_path / "never there"])
    take_checksums_ahead([large])
    changed.write_bytes(b"written to")
    assert checksum(large) == checksum(large) == sha256(b"large").hexdigest()
    assert checksum(changed) == sha256(b"written to").hexdigest() and checksum(small) == sha256(b"sma").hexdigest()
    assert begun.count("large") == 1 and begun.count("small") == 1


def test_unreadable_when_it_is_asked_for(tmp_path, monkeypatch):
    """A file that cannot be read says so where its checksum is needed, not beside."""
    monkeypatch.setattr(checksums, "_LONG", 4)
    monkeypatch.setattr(
        checksums, "_take_checksum", lambda path: (_ for _ in ()).throw(PermissionError(13, "not yours", str(path)))
    )
    (tmp_path / "log.jsonl").write_bytes(b"content")
    take_checksums_ahead([tmp_path / "log.jsonl"])
    with pytest.raises(OSError, match="not yours"):
        checksum(tmp_path / "log.jsonl")
