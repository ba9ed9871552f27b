"""The workers: an embedded cluster of one process, or any Dask scheduler by its address."""

import logging
import os
import threading
from collections.abc import Callable
from typing import Any

import psutil
from distributed import Client, Future, KilledWorker, LocalCluster, Security, Worker, WorkerPlugin

from hotgravel.core.place import Place, address_of
from hotgravel.farm import job

SCHEDULER = "HOTGRAVEL_SCHEDULER"
Heard = Callable[[int, int, dict[str, Any]], None]
Ended = Callable[[int, str, str], None]
log = logging.getLogger("hotgravel.farm")
STARTING = 20.0  # seconds that workers may take to come up
SHARE_OF_MEMORY = 0.75  # that runs may take; a worker that takes more is ended, and started again
OVER = (
    f"The worker was ended several times, from outside or because it took over {SHARE_OF_MEMORY:.0%} of the memory. "
    "The frames so far are kept; the run can go on. Fewer particles, or larger cells of a skin, take less."
)


class Quiet(WorkerPlugin):  # type: ignore[misc]
    """A worker of this process says nothing of news that its scheduler did not take: that one ends with the process."""

    def setup(self, worker: Worker) -> None:
        logging.getLogger("distributed.worker").addFilter(lambda record: "during heartbeat" not in record.getMessage())


class Farm:
    """Sends runs to workers and hears of them. `landed(run, frame, gauges)`, `ended(run, state, message)` and
    `preparing(run, kernel)` are called from the farm's own threads."""

    def __init__(self, landed: Heard, ended: Ended, preparing: Callable[[int, str], None]) -> None:
        self._landed, self._ended, self._preparing = landed, ended, preparing
        self._ready = threading.Event()
        self._client: Client | None = None
        self._cluster: LocalCluster | None = None
        self._runs: dict[int, Future | None] = {}  # that were sent and have not ended; None before the workers are up
        self._behind: dict[str, Future | None] = {}  # by worker: what it prepares while nothing runs
        self._failure = ""
        self._stopping = False

    def start(self) -> None:
        """Bring the workers up in the background; runs sent before then wait for them."""
        threading.Thread(target=self._start, name="farm", daemon=True).start()

    def _start(self) -> None:
        try:
            address = os.environ.get(SCHEDULER)
            if address:
                # An outside scheduler's own keys are found where Dask looks for them (README).
                self._client = Client(address, timeout=STARTING, security=Security())
            else:
                self._cluster = LocalCluster(
                    n_workers=1, threads_per_worker=1, processes=True, dashboard_address="127.0.0.1:0",
                    memory_limit=int(SHARE_OF_MEMORY * psutil.virtual_memory().total),
                    host="127.0.0.1", silence_logs=logging.ERROR, security=Security.temporary(),
                    scheduler_kwargs={"dashboard": False},
                )  # fmt: skip
                self._client = Client(self._cluster)
                self._client.register_plugin(Quiet())
            self._client.subscribe_topic(job.TOPIC, self._hear)
            for worker in self._client.scheduler_info(n_workers=-1)["workers"]:
                self._behind[worker] = None
            self._prepare()
        except Exception as error:  # whatever stops the workers must reach the page
            log.exception("the workers did not start")
            self._failure = f"The workers did not start: {error}"
        self._ready.set()

    def _prepare(self) -> None:
        """Let workers load all kernels while no run waits. A run loads what it needs by itself, and goes first."""
        for worker, task in self._behind.items():
            begun = task is not None and not (task.status == "finished" and not task.result())
            if not (self._runs or begun):
                assert self._client is not None
                self._behind[worker] = self._client.submit(job.prepare, workers=[worker], pure=False, priority=-10)

    def wait(self, seconds: float) -> bool:
        """Whether the workers are up within that time."""
        return self._ready.wait(seconds)

    def send(self, run_id: int, document: dict[str, Any], folder: Place, meshes: Place) -> None:
        """Queue a run."""
        self._runs[run_id] = None
        threading.Thread(target=self._send, args=(run_id, document, folder, meshes), daemon=True).start()

    def _send(self, run_id: int, document: dict[str, Any], folder: Place, meshes: Place) -> None:
        self._ready.wait()
        if self._client is None or self._failure:
            self._runs.pop(run_id)
            self._ended(run_id, "failed", self._failure)
            return
        future = self._client.submit(
            job.run_shot, run_id, document, address_of(folder), address_of(meshes),
            key=f"run-{run_id}", pure=False, retries=0,
        )  # fmt: skip
        self._runs[run_id] = future
        future.add_done_callback(lambda done: self._done(run_id, done))

    @staticmethod
    def cancel(folder: Place) -> None:
        """Ask a run to stop after the frame in work."""
        folder.mkdir(parents=True, exist_ok=True)
        (folder / job.CANCEL).touch()

    def _hear(self, event: tuple[float, dict[str, Any]]) -> None:
        _stamp, news = event
        if "preparing" in news:
            self._preparing(news["run"], news["preparing"])
            return
        self._landed(news["run"], news["frame"], news["gauges"])

    def _done(self, run_id: int, future: Future) -> None:
        self._runs.pop(run_id, None)
        if self._stopping:
            return  # the next start says that this run was interrupted
        try:
            self._ended(run_id, future.result(), "")
        except Exception as error:
            if isinstance(error, KilledWorker):
                log.error("run %s ended with its worker", run_id)
            elif not isinstance(error, ValueError):  # a ShotFault is a sentence already
                log.exception("run %s failed", run_id)
            self._ended(run_id, "failed", OVER if isinstance(error, KilledWorker) else _why(error))
        if not self._runs:
            self._prepare()

    def stop(self) -> None:
        """End the workers, which may just be coming up."""
        self._stopping = True
        self.wait(STARTING)
        # A run that is cut off here is told of at the next start; the scheduler's complaints that
        # nobody hears its last news would only hide what matters in the log.
        logging.getLogger("distributed.scheduler").disabled = True
        if self._client is not None:
            self._client.close(timeout=2)
        if self._cluster is not None:
            self._cluster.close(timeout=5)


def _why(error: Exception) -> str:
    if isinstance(error, ValueError):
        return str(error)
    return f"The run stopped: {str(error) or type(error).__name__}"
