"""A frame of 100,000 particles from the store to the wire, over a plain read of the same bytes (aim: 2 or less).

Also what the first asking of a frame costs, when its checksums are verified.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore, _spans
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import demo_path
from hotgravel.web.wire import packed_frame

FRAME, ROUNDS = 10, 60


def run_of(count: int, last: int, folder: Path) -> None:
    """A run of the ember burst with so many embers."""
    document = load(demo_path("ember-burst")).dump()
    document["supply"][0]["emit"]["count"] = count
    document["finish"]["last"] = last
    execute(build(load(document), beside(Path())), folder)


def least(act: Callable[[], object], prepare: Callable[[], object] = lambda: None) -> float:
    """Seconds of the fastest round."""
    seconds = []
    for _ in range(ROUNDS):
        prepare()
        start = time.perf_counter()
        act()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        run_of(100_000, 12, folder)
        store = FrameStore(folder)
        wire = bytes(packed_frame(store, FRAME))
        (folder / "plain.bin").write_bytes(wire)
        floor = least((folder / "plain.bin").read_bytes)
        again = least(lambda: packed_frame(store, FRAME))
        first = least(lambda: packed_frame(store, FRAME), _spans.cache_clear)
        print(f"store to wire, 100,000 particles, {len(wire) / 2**20:.1f} MiB")
        print(f"  over a plain read of the same bytes: {again / floor:.2f} (aim 2)")
        print(f"  when first asked for, with its checksums verified: {first / floor:.2f}")


if __name__ == "__main__":
    main()
