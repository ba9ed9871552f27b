"""Hand a run over into a folder: file by file, told as it goes, stopped on request."""

from collections.abc import Callable
from pathlib import Path

from hotgravel.core.exchange.take import Take, Wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.place import write_bytes
from hotgravel.core.run.frames import telling


def hand_over(
    take: Take,
    wish: Wish,
    kind: str,
    out: Path,
    told: Callable[[float], None] = lambda share: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[str]:
    """Write the files of a format and return their names. `told` hears what share is done, `cancelled`
    is asked in between. Raises `CannotKeep`, and `KeyError` or `DamagedFrame` for a frame that cannot be read.
    """
    written: list[str] = []
    for number, step in enumerate(WRITERS[kind][1](take, wish), 1):
        if step is not None:
            name, data = step
            with telling(name, f"{len(written)} files were written before.", to=f" to {out}"):
                write_bytes(out / name, data)
            written.append(name)
        told(min(1.0, number / len(wish.frames)))
        if cancelled():
            break
    return written
