"""A picture of one frame without a browser: all that is there as triangles and balls, lit as on the stage."""

import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from hotgravel.core.chance import key_of
from hotgravel.core.colour import light_of, linear, shown
from hotgravel.core.matter.drape import draped, draping
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.picture import lens, measured
from hotgravel.core.picture import light as lights
from hotgravel.core.picture.camera import TAN, View, axes_along, view_on
from hotgravel.core.picture.cast import NO_CAST, Cast, cast_of, lamp_of
from hotgravel.core.picture.raster import drawn, glow, seen_from
from hotgravel.core.picture.shade import LAMP_WIDTH, LIGHT_ROWS, LOOK_WIDTH, MAP_WIDTH, lit
from hotgravel.core.picture.soup import Arrays, Soup, balls_of, pieces_into, prop_mesh, seen_past, skin_into
from hotgravel.core.picture.volume import Volume, lay_over, volume_of
from hotgravel.core.place import Place
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.run.world import World
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot.props import Prop

Array = NDArray[np.float64]
_BAYER = np.array([[0, 2], [3, 1]])
for _ in range(2):
    _BAYER = np.block([[4 * _BAYER, 4 * _BAYER + 2], [4 * _BAYER + 3, 4 * _BAYER + 1]])
_DITHER = (_BAYER + 0.5) / 64.0
PIECE = ("position", "turn", "scale", "piece", "colour", "faded", "id", "velocity", "spin")
KEY_MAP, LAMP_MAP = 1024, 256  # pixels of what a light sees
SHUTTER = 0.5  # of a frame: how long it is open
BLOOM = 0.3  # how much what glows spreads over what is near it
WIDE = 1.03  # half the side of what a lamp sees a metre away: a little more than a cube's
SHADOWED = 2  # lamps that throw shadows
LAYERS = 6  # of what is seen through; what is solid behind them is seen past all others
LEAST_SEEN = 0.01  # of a pixel: so little is left out
FRAMED = 9  # frames of a run that its view is made from


def still_of(world: World, folder: Place, frame: int, size: tuple[int, int], view: View | None = None) -> bytes:
    """A PNG of a kept frame, `size` (width, height) pixels. Raises `KeyError` if it is not kept."""
    out = io.BytesIO()
    Image.fromarray(Painter(world, FrameStore(folder), view).pixels(frame, size)).save(out, "PNG")
    return out.getvalue()


def pixels_of(
    world: World, store: FrameStore, frame: int, size: tuple[int, int], view: View | None = None
) -> NDArray[np.uint8]:  # fmt: skip
    """A kept frame as (height, width, 3). Raises `KeyError` if it is not kept."""
    return Painter(world, store, view).pixels(frame, size)


@dataclass
class Painter:
    """Draws frames of a run, all from one view: the one given, or one that holds what moves in the whole run."""

    world: World
    store: FrameStore
    view: View | None = None
    by: str = "own"  # what colours stand for, as `measured` has it
    meshes: dict[str, tuple[Array, NDArray[np.int64], Array]] = field(default_factory=dict)  # of props
    pieces: dict[str, list[dict[str, Any]]] = field(default_factory=dict)  # of matters

    def pixels(self, frame: int, size: tuple[int, int]) -> NDArray[np.uint8]:
        """A frame as (height, width, 3). Raises `KeyError` if it is not kept."""
        world, view = self.world, self.seen_from_where()
        width, height = size
        soup = Soup()
        points = self._points(frame)
        poses = world.poses(self.store.run_frame(frame), self.store.gauges(frame)["absent"])
        props = [p for p in world.shot.props if p.seen == "seen" and p.id in poses]
        for prop in props:
            self._prop_into(soup, prop, poses[prop.id], view.eye)
        under = self._matter_into(soup, frame, points, view.eye)
        paint, dull = self._paints(points)
        place, radius = points["position"].astype(float), points["radius"].astype(float)
        flakes, embers = dull & ~under, ~dull & ~under
        velocity, faded = points["velocity"].astype(float), points["faded"].astype(float)
        paint = np.where(dull[:, None], paint, (1.0 - faded)[:, None] * paint)  # what glows gives less light
        soup.add_balls(place[flakes], radius[flakes], paint[flakes], velocity=velocity[flakes], faded=faded[flakes])
        for streaks in world.shot.streaks:
            self._streaks_into(soup, streak_of(world.shot, self.store, frame, streaks), view, height)
        smoke = self._smoke(frame)
        found = [*self._crowd_lamp(place[~dull]), *self._prop_lamps(props, poses), *_fire_lamp(smoke)]
        lamps = np.array(found).reshape(-1, LAMP_WIDTH)
        cast = NO_CAST if smoke is None else cast_of(smoke, self._light)
        image, fire, depth = self._seen_through(soup.arrays(), lamps, cast, view, (height, width), self.shutter(frame))
        if smoke is not None:
            lay_over(image, fire, depth, view.eye, view.axes(), TAN, smoke, self._light, lamps)
        before = place - self.shutter(frame) * velocity
        seen, gone = (seen_from(view.eye, view.axes(), of[embers]) for of in (place, before))
        spread = lens.discs(seen[:, 2][None].repeat(height, 0), *self.focus)[0] if self.focus else np.zeros(len(seen))
        glow(fire, depth, seen, gone, TAN, radius[embers], paint[embers], spread)
        image += fire + BLOOM * _blurred(fire, height / 55.0)
        mapped = lights.on_screen(image.astype(np.float32), lights.exposure_of(world.shot.finish))
        dither = _DITHER[np.arange(height)[:, None] % 8, np.arange(width) % 8, None]  # or the sky would show steps
        return (255.0 * mapped + dither).astype(np.uint8)

    def seen_from_where(self) -> View:
        """The view, made from the whole run where none is given."""
        if self.view is None:
            self.view = self._framing()
        return self.view

    def shutter(self, frame: int) -> float:
        """Seconds of the run that the shutter is open for a frame."""
        return SHUTTER * self.world.shot.pace.span(frame)

    @property
    def focus(self) -> tuple[float, float, float] | None:
        """The distance that is sharp, the aperture, both metres, and half the height of what is seen a metre away."""
        finish = self.world.shot.finish
        return None if finish.focus is None else (finish.focus, finish.aperture, TAN)

    def _framing(self) -> View:
        """A view on what moves in the run, and the first of the props that are no mere ground."""
        world, kept = self.world, self.store.frames()
        corners: list[Array] = []
        for frame in dict.fromkeys(kept[i] for i in np.linspace(0, len(kept) - 1, FRAMED).astype(int)) if kept else ():
            for matter in self.store.matters(frame):
                place = self.store.elements(frame, matter, ("position",))["position"].astype(float)
                if len(place):
                    corners.append(np.quantile(place, [0.02, 0.98], axis=0))
        poses = world.poses(self.store.run_frame(kept[0]), self.store.gauges(kept[0])["absent"]) if kept else {}
        seen = [p.id for p in world.shot.props if p.seen == "seen" and p.id in poses]
        places = {prop: poses[prop].to_world(np.stack(world.setting.shapes[prop].box)) for prop in seen}
        boxes = [places[prop] for prop in seen if _is_set_piece(world, prop)]
        ground = [places[prop][:, 1].min() for prop in seen if not _is_set_piece(world, prop)]
        for box in boxes:  # what lies under the ground is not looked at
            box[:, 1] = np.maximum(box[:, 1], min(ground, default=-np.inf))
        both = np.concatenate(corners + boxes[:8] or [np.array([[-1.0, 0, -1], [1, 2, 1]])])
        return view_on(both.min(axis=0), both.max(axis=0))

    @cached_property
    def top(self) -> float:
        """The number that the brightest colour stands for, the same in all frames."""
        return measured.top_of(self.store, self.by)

    def _points(self, frame: int) -> dict[str, Any]:
        """The elements of a frame that are drawn as points, of all matters together."""
        names = ("position", "velocity", "radius", "state", "colour", "faded")
        drawn_so = [m for m in self.store.matters(frame) if MATTERS[m].kind == "points"]
        found = [self.store.elements(frame, m, names) for m in drawn_so] or [self.store.particles(frame, names)]
        told = {name: np.concatenate([of[name] for of in found]) for name in names}
        matters = drawn_so or ["particles"]
        told["matter"] = np.repeat(matters, [len(of["radius"]) for of in found])
        return told

    def _prop_into(self, soup: Soup, prop: Prop, pose: Pose, eye: Array) -> None:
        if prop.id not in self.meshes:
            self.meshes[prop.id] = prop_mesh(prop.shape, self.world.setting.shapes[prop.id])
        vertices, faces, normals = self.meshes[prop.id]
        paint = np.repeat(light_of(prop.colour)[None], len(vertices), axis=0)
        look = GLASS if prop.shine == "clear" else _look(rough=1.0, fire=float(prop.shine == "glowing"))
        places = pose.to_world(vertices)
        soup.add(
            places, normals @ pose.matrix.T, vertices, paint, faces, look, faded=seen_past(places, faces, look, eye)
        )

    def _matter_into(self, soup: Soup, frame: int, points: dict[str, Any], eye: Array) -> NDArray[np.bool_]:
        """Pieces and skins. Returns which points a skin is shown instead of."""
        world, under = self.world, np.zeros(len(points["radius"]), bool)
        drawn_so = {m: MATTERS[m].kind for m in self.store.matters(frame) if MATTERS[m].kind in ("pieces", "mesh")}
        for matter in (m for m in drawn_so if m not in self.pieces):
            self.pieces[matter] = self.store.meshes(matter)
        for matter in (m for m, kind in drawn_so.items() if kind == "pieces"):
            pieces = self.store.elements(frame, matter, PIECE if self.by != "load" else (*PIECE, "load"))
            if self.by != "own":
                pieces["colour"] = measured.packed(measured.ramp(measured.share_of(pieces, self.by, self.top)))
            looks = [self._look_of(mesh) for mesh in self.pieces[matter]]
            pieces_into(soup, self.pieces[matter], pieces, looks, eye, alike=self.by != "own")
        for matter in (m for m, kind in drawn_so.items() if kind == "mesh"):
            kept = self.store.elements(frame, matter, draping(MATTERS[matter].columns))
            if self.by == "speed":
                kept["colour"] = measured.packed(measured.ramp(measured.share_of(kept, self.by, self.top)))
            for mesh in self.pieces[matter]:
                skin_into(soup, draped(mesh, kept), GLOSS["dull"], eye)
        for row in world.shot.surfaces:
            skin_into(soup, self.store.skin(frame, row.id), GLOSS[row.look], eye)
            if row.shown == "instead":
                mine = points["matter"] == row.wraps
                under |= mine if row.whom is None else mine & (points["state"] == world.states[row.whom])
        return under

    def _look_of(self, mesh: dict[str, Any]) -> tuple[float, ...]:
        """How pieces of a mesh look: as the prop that it was made from."""
        return GLASS if "prop" in mesh and int(mesh["prop"][0]) in self._clear else _look(rough=1.0)

    @cached_property
    def _clear(self) -> set[int]:
        """The keys of props that are clear as glass."""
        return {int(key_of(prop.id)) for prop in self.world.shot.props if prop.shine == "clear"}

    @property
    def _light(self) -> lights.Light:
        return lights.light_of(self.world.shot.finish)

    def _smoke(self, frame: int) -> Volume | None:
        shot = self.world.shot
        if not shot.smokes or "smoke" not in self.store.matters(frame):
            return None
        kept = self.store.record(frame, "volume", MATTERS["smoke"].records["volume"])
        return volume_of(kept, shot.smokes[0], self._light, next(iter(shot.fires), None))

    def _streaks_into(self, soup: Soup, made: dict[str, Any], view: View, height: int) -> None:
        place, paint = balls_of(made)
        away = np.linalg.norm(place - view.eye, axis=1)
        soup.add_balls(place, away * TAN / height, paint, _look(gives=1.0))

    def _paints(self, points: dict[str, Any]) -> tuple[Array, NDArray[np.bool_]]:
        """The paint of each point (n, 3), linear, and which are dull (n,)."""
        state, states = points["state"], self.world.shot.states
        paint = linear(shown(points["colour"], state, [s.colour for s in states]))
        if self.by == "speed":
            paint = measured.ramp(measured.share_of(points, self.by, self.top))
        return paint, np.array([*(s.shine == "dull" for s in states), True])[state]  # in no state: dull

    def _crowd_lamp(self, place: Array) -> Iterator[Array]:
        """A lamp above the middle of a crowd that glows."""
        if len(place):
            reach = max(float(np.linalg.norm(place.std(axis=0))), 0.05)
            strength = lights.CROWD_LIGHT * min(1.0, len(place) / lights.CROWD)
            x, y, z = place.mean(axis=0)
            yield np.array([x, y + 0.4 * reach, z, strength, reach, *lights.EMBER, -1.0])

    def _prop_lamps(self, props: list[Prop], poses: dict[str, Pose]) -> Iterator[Array]:
        """A lamp in each solid prop that glows; sheets glow, but light nothing."""
        for prop in (p for p in props if p.shine == "glowing" and _is_set_piece(self.world, p.id)):
            low, high = self.world.setting.shapes[prop.id].box
            pose = poses[prop.id]
            reach = max(float((high - low).max() * pose.scale), 1e-6)
            middle = pose.to_world(0.5 * (low + high)[None])[0]
            yield np.array([*middle, lights.PROP_LIGHT, reach, *light_of(prop.colour), -1.0])

    def _seen_through(
        self, s: Arrays, lamps: Array, cast: Cast, view: View, size: tuple[int, int], shutter: float
    ) -> tuple[Array, Array, Array]:
        """The light of a picture, what in it glows as embers do, and how far before the camera all is. The shutter is
        open for so many seconds. Through what has faded, or is clear, what lies behind it is seen, and so on."""
        maps = (*_seen_by_key(s, np.array(self._light.key_from), view), *_seen_by_lamps(s, lamps))
        if not s.faded.any() and not s.ball_faded.any():  # all is solid
            return self._lit(s, maps, lamps, cast, view, shutter, np.full(size, -np.inf))[:3]
        faded = np.concatenate([s.faded, s.ball_faded[::-1], [0.0]])  # by `which`: balls from the end, nothing last
        tint = np.concatenate([s.tint, np.ones((len(s.ball_faded) + 1, 3))])
        past, left = np.full(size, -np.inf), np.ones((*size, 3))
        image, fire, depth = np.zeros((*size, 3)), np.zeros((*size, 3)), np.zeros(0)
        for layer in range(LAYERS):
            lit_so, hot, far, which = self._lit(s, maps, lamps, cast, view, shutter, past)
            depth = depth if layer else far
            through = faded[which][..., None]
            image, fire = image + left * (1.0 - through) * lit_so, fire + left * (1.0 - through) * hot
            left = left * through * tint[which]
            if left.max() < LEAST_SEEN:
                return image, fire, depth
            past = np.where(through[..., 0] > 0.0, far, np.inf)
        lit_so, hot, _, _ = self._lit(s.solid, maps, lamps, cast, view, shutter, np.full(size, -np.inf))
        image, fire = image + left * lit_so, fire + left * hot
        return image, fire, depth

    def _lit(
        self, s: Arrays, maps: tuple[Array, ...], lamps: Array, cast: Cast, view: View, shutter: float, past: Array
    ) -> tuple[Array, Array, Array, NDArray[np.int64]]:  # fmt: skip
        """The light of what is nearest, farther than `past`: image, embers, depth, and which it is."""
        light, axes = self._light, view.axes()
        rows = np.array([
            light.key_from, light.key, light.fill_from, light.fill, light.sky, light.ground, light.zenith,
            light.horizon, light.glow,
        ])  # fmt: skip
        assert len(rows) == LIGHT_ROWS
        key_camera, key_map, cameras, lamp_maps = maps
        size = past.shape
        depth, which = drawn(size, view.eye, axes, TAN, s.vertices, s.faces, s.places, s.radius, past=past)
        image, fire = np.zeros((*size, 3)), np.zeros((*size, 3))
        lit(
            image, fire, depth, which, view.eye, axes, TAN, s.vertices, s.normals, s.paint, s.local, s.faces, s.look_of,
            s.places, s.radius, s.ball_paint, s.ball_look, s.looks, rows, light.haze * view.distance, key_camera[None],
            key_map[None], cast.map, cast.frame, lamps, cameras, lamp_maps,
        )  # fmt: skip
        if s.velocity.any() or s.ball_velocity.any() or self.focus:
            image, fire = self._through_lens(s, image, fire, depth, which, view, shutter)
        return image, fire, depth, which

    def _through_lens(
        self, s: Arrays, image: Array, fire: Array, depth: Array, which: NDArray[np.int64], view: View,
        shutter: float,
    ) -> tuple[Array, Array]:  # fmt: skip
        """What moves drawn out, and what is out of focus blurred."""
        both, moved = np.concatenate([image, fire], axis=2), np.empty((*depth.shape, 2))
        lens.ways(
            depth, which, view.eye, view.axes(), TAN, s.faces, s.velocity, s.ball_velocity, shutter, moved
        )  # fmt: skip
        both = lens.smeared(both, depth, moved)
        if self.focus:
            both = lens.defocused(both, depth, lens.discs(depth, *self.focus))
        return both[..., :3].copy(), both[..., 3:].copy()


def _fire_lamp(smoke: Volume | None) -> Iterator[Array]:
    """A lamp in the midst of what burns."""
    lamp = lamp_of(smoke) if smoke is not None else ()
    if len(lamp):
        yield np.array([*lamp, -1.0])


def _seen_by_key(s: Arrays, towards: Array, view: View) -> tuple[Array, Array]:
    """What the key sees of what throws shadows, as a flat camera about what the view looks at."""
    reach = 1.5 * view.distance
    used = np.concatenate([s.vertices[np.unique(s.casting)], s.places])
    near = used[np.linalg.norm(used - view.aim, axis=1) < reach]
    low, high = (near.min(axis=0), near.max(axis=0)) if len(near) else (view.aim - 1.0, view.aim + 1.0)
    middle, span = 0.5 * (low + high), max(0.5 * float(np.linalg.norm(high - low)), 1e-3)
    axes = axes_along(-towards)
    eye = middle + 4.0 * reach * towards
    camera = np.array([*eye, *axes.ravel(), span])
    depth, _ = drawn((KEY_MAP, KEY_MAP), eye, axes, span, s.vertices, s.casting, s.places, s.radius, True)
    return camera, depth


def _seen_by_lamps(s: Arrays, lamps: Array) -> tuple[Array, Array]:
    """What the strongest lamps see, to all six sides; the first of its maps is entered with each of those lamps."""
    strongest = np.argsort(-lamps[:, 3] * lamps[:, 4], kind="stable")[:SHADOWED]
    cameras, maps = np.zeros((6 * len(strongest), MAP_WIDTH)), np.zeros((6 * len(strongest), LAMP_MAP, LAMP_MAP))
    for number, lamp in enumerate(strongest):
        eye = lamps[lamp, :3].copy()
        lamps[lamp, LAMP_WIDTH - 1] = 6 * number
        for side in range(6):
            axes = axes_along((1.0 if side % 2 == 0 else -1.0) * np.eye(3)[side // 2])
            at = 6 * number + side
            cameras[at] = [*eye, *axes.ravel(), WIDE]
            maps[at], _ = drawn((LAMP_MAP, LAMP_MAP), eye, axes, WIDE, s.vertices, s.casting, s.places, s.radius)
    return cameras, maps


def _look(
    rough: float = 0.0,
    highlight: float = 0.0,
    rim: float = 0.0,
    gives: float = 0.0,
    fire: float = 0.0,
    clear: float = 0.0,
) -> tuple[float, ...]:
    """How a surface looks, as `shade` has it."""
    made = (rough, highlight, rim, gives, fire, clear)
    assert len(made) == LOOK_WIDTH
    return made


GLOSS = {
    "dull": _look(), "glassy": _look(highlight=0.9, rim=0.6, gives=0.05), "glowing": _look(highlight=0.1, gives=1.1),
    "clear": _look(highlight=0.9, clear=0.65),
}  # fmt: skip
GLASS = _look(highlight=0.9, clear=0.9)


def _blurred(image: Array, sigma: float) -> Array:
    """A Gaussian blur; made at a part of the size where that loses nothing."""
    step = max(1, int(sigma / 2.5))
    size = (image.shape[1], image.shape[0])
    planes = []
    for c in range(3):
        small = np.asarray(Image.fromarray(image[..., c].astype(np.float32)).reduce(step))
        soft = Image.fromarray(gaussian_filter(small, sigma / step))
        planes.append(np.asarray(soft.resize(size, Image.Resampling.BICUBIC)))
    wide: Array = np.maximum(np.stack(planes, axis=-1), 0.0)
    return wide


def _is_set_piece(world: World, prop: str) -> bool:
    """Whether a prop is something to look at, not the ground it stands on."""
    low, high = world.setting.shapes[prop].box
    return bool((high - low).min() > 0.0)
