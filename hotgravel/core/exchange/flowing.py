"""Coordinates for textures that flow with a liquid: where what is at each corner of its skin began."""

import numpy as np

from hotgravel.core.matter.contract import Array
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shape.skin import carried
from hotgravel.core.shot.document import Shot


class Flowing:
    """The drops of a run by their ids, and where each began, learnt frame by frame.

    A drop that came later began as much farther up the way that it came as the time that had gone by, so that what
    pours from one place has coordinates that run on along it.
    """

    def __init__(self, store: FrameStore, shot: Shot) -> None:
        self.store, self.shot = store, shot
        self.read = -1  # of the store's frames, so many and this one
        self.rest = np.full((0, 3), np.nan)

    def rest_at(self, frame: int, vertices: Array) -> Array:
        """Where the liquid at places (V, 3) of a kept frame began (V, 3), both in metres."""
        if not len(vertices):
            return vertices
        frames = self.store.frames()
        last = frames.index(frame)
        for number in range(self.read + 1, last + 1):
            self._learn(frames[number])
        self.read = max(self.read, last)
        drops = self.store.elements(frame, "liquid", ("id", "position"))
        now = drops["position"].astype(float)
        rest, place = carried(vertices, now, self.rest[drops["id"]], now)
        return rest + (vertices - place)  # a corner lies outside the drops around it

    def _learn(self, frame: int) -> None:
        drops = self.store.elements(frame, "liquid", ("id", "position", "velocity"))
        most = int(drops["id"].max(initial=0)) + 1
        if most > len(self.rest):
            self.rest = np.concatenate([self.rest, np.full((most - len(self.rest), 3), np.nan)])
        new = np.isnan(self.rest[drops["id"], 0])
        gone_by = self.shot.pace.lasting(self.shot.finish.first, frame)
        self.rest[drops["id"][new]] = drops["position"][new] - gone_by * drops["velocity"][new].astype(float)
