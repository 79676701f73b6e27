"""A checksum is that of the file as it is now."""

import os
from hashlib import sha256

import pytest

from milepost.store.checksums import checksum


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
