"""A full disk or an unwritable folder is a sentence, what was kept stays, and the run can go on."""

import errno
import os

import pytest

from hotgravel.core import place
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import CannotKeep, FrameStore
from tests.core.run.test_execute import bytes_of, world


def full_after(monkeypatch, writes: int) -> None:
    """The disk takes so many files, then has no space left."""
    real, count = os.fsync, [0]

    def fsync(handle: int) -> None:
        count[0] += 1
        if count[0] > writes:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(handle)

    monkeypatch.setattr(place.os, "fsync", fsync)


@pytest.mark.parametrize(("writes", "what"), [(5, "Frame 5"), (0, "Frame 1 "), (12, "checkpoint at frame 11")])
def test_a_full_disk_is_told_and_loses_nothing(tmp_path, monkeypatch, writes, what):
    # The first frame's checkpoint is a write too: frames 1 to n - 1 come with n writes, up to frame 11's.
    full_after(monkeypatch, writes)
    with pytest.raises(CannotKeep, match=f"{what}.*no space left on device|{what}.*No space left on device"):
        execute(world(), tmp_path / "run")
    monkeypatch.undo()
    store = FrameStore(tmp_path / "run")
    kept = store.frames()
    assert len(kept) == max(0, writes - 1)
    assert kept == store.whole(1) or kept == []
    execute(world(), tmp_path / "run", resume=True)
    execute(world(), tmp_path / "other")
    assert bytes_of(tmp_path / "run") == bytes_of(tmp_path / "other")


def test_an_unwritable_folder_is_told(tmp_path):
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(CannotKeep, match=r"could not be written to .*/file \(file exists\)"):
        execute(world(), tmp_path / "file")
    assert (tmp_path / "file").read_text() == "in the way"
