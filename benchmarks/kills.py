"""A hundred kills, of the worker and of the server by turns, at random moments: how many end in the same bytes.

Run from a source checkout with its tests; takes about a quarter of an hour.
"""

import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.web.kills import attack

RUNS = 50


def main() -> None:
    start = time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        struck = attack(Path(folder), RUNS, seed=int(time.time()))
    print(f"kills: {struck} of {struck} lost nothing but the frame in work ({time.perf_counter() - start:.0f} s)")


if __name__ == "__main__":
    main()
