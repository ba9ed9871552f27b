"""What is cut once is found again, by another process too, and is watched on its way."""

import numpy as np
import pytest

from hotgravel.core.shape import shelf
from hotgravel.core.shape.dividing import Surroundings, cutting_of
from hotgravel.core.shape.kinds import shaped
from hotgravel.core.shot.cut import Cut
from hotgravel.core.shot.props import Box, Prop

PLATE = Prop(id="plate", name="plate", shape=Box(width=4.0, height=2.0, depth=0.1))
ROW = Cut(id="cut", prop="plate", manner={"kind": "evenly", "pieces": 30})


def made(key: bytes):
    return cutting_of([ROW], PLATE, shaped(PLATE.shape), Surroundings(None, None, None, key))


def test_a_cutting_is_read_back_as_it_was(tmp_path, monkeypatch):
    monkeypatch.setenv(shelf.FOLDER, str(tmp_path))
    told, ticks = [], iter(np.arange(0.0, 99.0))
    with shelf.watched(told.append, lambda: next(ticks)):
        first = made(b"first")
    assert told == sorted(told)
    assert len(told) > 20
    assert first.seconds == 1.0
    assert "Cut in 1.0 s" in first.report()
    shelf._known.clear()  # as another process begins
    assert shelf.is_known(b"first")
    again = made(b"first")
    assert again is not first
    assert again.report() == first.report()
    for a, b in zip(first.pieces, again.pieces, strict=True):
        assert (a.vertices == b.vertices).all()
        assert (a.faces == b.faces).all()
        assert (a.inner == b.inner).all()
        assert (a.volume, a.row, *a.centre) == (b.volume, b.row, *b.centre)
    assert all((getattr(first.shared, n) == getattr(again.shared, n)).all() for n in shelf.SHARED)


def test_what_watches_can_stop_it(tmp_path, monkeypatch):
    monkeypatch.setenv(shelf.FOLDER, str(tmp_path))

    def stop(share: float) -> None:
        if share > 0.3:
            raise InterruptedError

    with pytest.raises(InterruptedError), shelf.watched(stop, lambda: 0.0):
        made(b"second")
    assert not shelf.is_known(b"second")


def test_a_damaged_file_is_cut_anew(tmp_path, monkeypatch):
    monkeypatch.setenv(shelf.FOLDER, str(tmp_path))
    made(b"third")
    shelf._known.clear()
    (path,) = tmp_path.glob("*.npz")
    path.write_bytes(path.read_bytes()[:100])
    assert len(made(b"third").pieces) == 30
