"""Fifty readers scrub frames of 100,000 particles on one server for thirty seconds. Ends with 1 on any error.

Prints the 95th percentile of the time for a frame, and the bytes a second over those of one reader alone.
"""

import http.client
import os
import random
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from frames import run_of

READERS, SECONDS, FRAMES = 50, 30.0, 24


def serve(store: Path) -> tuple[subprocess.Popen[bytes], int]:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    line = [sys.executable, "-m", "hotgravel.cli", "serve", "--port", str(port)]
    process = subprocess.Popen(line, env=os.environ | {"HOTGRAVEL_STORE": str(store)}, stdout=subprocess.DEVNULL)
    while True:
        try:
            ask(port, "/shots.json")
            return process, port
        except OSError:
            time.sleep(0.2)


def ask(port: int, path: str) -> int:
    """Bytes of the answer. Raises on anything but 200."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    connection.request("GET", path)
    answer = connection.getresponse()
    data = answer.read()
    connection.close()
    if answer.status != 200:
        raise RuntimeError(f"{path}: {answer.status}")
    return len(data)


def scrub(port: int, readers: int, seconds: float) -> tuple[list[float], int, list[str]]:
    """Seconds of each answer, all bytes, and what went wrong."""
    took: list[float] = []
    wrong: list[str] = []
    total = [0] * readers
    until = time.monotonic() + seconds

    def read(number: int) -> None:
        dice = random.Random(number)
        while time.monotonic() < until:
            start = time.perf_counter()
            try:
                total[number] += ask(port, f"/runs/1/frames/{dice.randrange(1, FRAMES + 1)}.bin")
            except (OSError, RuntimeError, http.client.HTTPException) as error:
                wrong.append(str(error))
                return
            took.append(time.perf_counter() - start)

    threads = [threading.Thread(target=read, args=(n,)) for n in range(readers)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return took, sum(total), wrong


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        store = Path(name)
        run_of(100_000, FRAMES, store / "runs" / "000001")
        process, port = serve(store)
        try:
            _, alone, _ = scrub(port, 1, 5.0)
            took, together, wrong = scrub(port, READERS, SECONDS)
        finally:
            process.terminate()
            process.wait()
        print(f"{READERS} readers, {SECONDS:g} s, {len(took)} frames of 100,000 particles, {len(wrong)} errors")
        print(f"  95th percentile {1e3 * np.percentile(took, 95):.0f} ms, median {1e3 * np.median(took):.0f} ms")
        print(f"  bytes a second over those of one reader alone: {together / SECONDS / (alone / 5.0):.2f}")
        if wrong:
            sys.exit(wrong[0])


if __name__ == "__main__":
    main()
