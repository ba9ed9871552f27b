"""A run as one USD file, with time samples: points, props as meshes that move, skins as meshes that change, streaks as
curves, pieces as a point instancer or as nodes of their own, and materials.

Source: the UsdGeom and UsdShade schemas. A time code is a frame; widths are diameters; velocities are in units a
second and angular velocities in degrees a second, as the schemas have it.
"""

import re
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import linear, rgb_of
from hotgravel.core.exchange.take import Array, Material, Step, Take, Wish, sides_of
from hotgravel.core.exchange.vdb import file_of, grids_at
from hotgravel.core.matter.drape import told_of
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.shape.pose import moves, pose_at
from hotgravel.core.shot.props import Prop


def write_usd(take: Take, wish: Wish) -> Iterator[Step]:
    """One file for all frames; pieces are a point instancer."""
    return _written(take, wish, OF_KIND)


def write_usd_nodes(take: Take, wish: Wish) -> Iterator[Step]:
    """One file for all frames; each piece is a node of its own, by its name."""
    return _written(take, wish, OF_KIND | {"pieces": _nodes})


def _written(take: Take, wish: Wish, of_kind: "dict[str, Begin]") -> Iterator[Step]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shot.usdc"
        stage = _stage(take, wish, path)
        file = _File(stage, take, wish)
        for prop in (p for p in take.shot.props if p.id not in take.world.setting.solvers_place):
            _prop(file, prop)
        for row in take.shot.surfaces:
            _skin(file, row.id, row.look)
        for streaks in take.shot.streaks:
            _streaks(file, streaks)
        kinds = {matter: of_kind[MATTERS[matter].kind](file, matter) for matter in take.store.matters(wish.frames[0])}
        for frame in wish.frames:
            for at_frame in kinds.values():
                yield at_frame(frame)
        stage.GetRootLayer().Save()
        yield wish.name(take, None, ".usdc"), path.read_bytes()


class _File:
    """A stage in the making, with what its writers share."""

    def __init__(self, stage: Any, take: Take, wish: Wish) -> None:
        self.stage, self.take, self.wish = stage, take, wish
        self.known: dict[Material, Any] = {}
        self.taken: set[str] = set()

    def place(self, scope: str, name: str) -> str:
        """A path for a prim in a scope, by its name: letters, digits and underscores, made unique."""
        from pxr import UsdGeom

        if not self.stage.GetPrimAtPath(f"/shot/{scope}"):
            UsdGeom.Scope.Define(self.stage, f"/shot/{scope}")
        plain = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_") or "it"
        stem = f"/shot/{scope}/{'_' if plain[0].isdigit() else ''}{plain}"
        path, number = stem, 2
        while path.lower() in self.taken:
            path, number = f"{stem}_{number}", number + 1
        self.taken.add(path.lower())
        return path

    def placed(self, points: Array) -> Any:
        """Points or velocities (n, 3) in the wanted unit and axes, as USD has them."""
        from pxr import Vt

        return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(self.wish.placed(points), np.float32))

    def paint(self, prim: Any, material: Material) -> None:
        """Bind a material to a prim."""
        from pxr import Gf, Sdf, UsdShade

        if material not in self.known:
            place = self.place("materials", material.name)
            made = UsdShade.Material.Define(self.stage, place)
            shader = UsdShade.Shader.Define(self.stage, f"{place}/surface")
            shader.CreateIdAttr("UsdPreviewSurface")
            shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*material.colour))
            shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(material.roughness)
            glow = Gf.Vec3f(*(material.glow * c for c in material.colour))
            shader.CreateInput("emissiveColor", Sdf.ValueTypeNames.Color3f).Set(glow)
            made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
            self.known[material] = made
        UsdShade.MaterialBindingAPI.Apply(prim).Bind(self.known[material])


def _stage(take: Take, wish: Wish, path: Path) -> Any:
    from pxr import Usd, UsdGeom

    stage: Any = Usd.Stage.CreateNew(str(path))
    stage.SetStartTimeCode(wish.frames[0])
    stage.SetEndTimeCode(wish.frames[-1])
    stage.SetTimeCodesPerSecond(take.shot.finish.rate)
    stage.SetFramesPerSecond(take.shot.finish.rate)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0 / wish.scale)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if wish.up == "z" else UsdGeom.Tokens.y)
    root = UsdGeom.Xform.Define(stage, "/shot")
    stage.SetDefaultPrim(root.GetPrim())
    stage.GetRootLayer().customLayerData = dict(take.origin)
    return stage


def _mesh(file: _File, place: str, vertices: Array, faces: Array) -> Any:
    """A mesh that keeps its corners."""
    from pxr import UsdGeom, Vt

    mesh = UsdGeom.Mesh.Define(file.stage, place)
    mesh.CreatePointsAttr(file.placed(vertices))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(faces.ravel().astype(np.int32)))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)))
    mesh.CreateExtentAttr(_extent(file.wish.placed(vertices).astype(np.float32)))
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    return mesh


def _prop(file: _File, prop: Prop) -> None:
    from pxr import Gf, Usd, UsdGeom

    take, wish = file.take, file.wish
    mesh = _mesh(file, file.place("set", take.labels[prop.id]), *take.triangles(prop))
    file.paint(mesh.GetPrim(), take.material(prop))
    place = mesh.AddTransformOp()
    seen = [prop.id in take.poses(frame) for frame in wish.frames]
    for frame, there in zip(wish.frames, seen, strict=True) if not all(seen) else ():
        shown = UsdGeom.Tokens.inherited if there else UsdGeom.Tokens.invisible
        mesh.GetVisibilityAttr().Set(shown, Usd.TimeCode(frame))
    for frame in wish.frames if moves(prop) else wish.frames[:1]:
        matrix = Gf.Matrix4d(*_matrix(take, wish, prop, frame).ravel().tolist())
        if moves(prop):
            place.Set(matrix, Usd.TimeCode(frame))
        else:
            place.Set(matrix)


def _skin(file: _File, row: str, look: str) -> None:
    name = file.take.labels[row]
    at_frame = _surface(file, "skins", name, look)
    for frame in file.wish.frames:
        at_frame(frame, file.take.skin(frame, row))


def _surface(file: _File, scope: str, name: str, look: str) -> Callable[[int, dict[str, Array]], None]:
    """A mesh that changes, with colours and velocities at its corners: what writes a frame of it."""
    from pxr import Sdf, Usd, UsdGeom, Vt

    types = Sdf.ValueTypeNames
    mesh = UsdGeom.Mesh.Define(file.stage, file.place(scope, name))
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    file.paint(mesh.GetPrim(), Material.skin(name, look))
    paint = mesh.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)

    def at_frame(frame: int, made: dict[str, Array]) -> None:
        when, faces = Usd.TimeCode(frame), made["faces"].astype(np.int32)
        mesh.GetPointsAttr().Set(file.placed(made["vertices"]), when)
        mesh.GetVelocitiesAttr().Set(file.placed(made["velocity"]), when)
        mesh.GetNormalsAttr().Set(_vectors(file.wish.turned(made["normals"])), when)
        mesh.GetFaceVertexIndicesAttr().Set(Vt.IntArray.FromNumpy(faces.ravel()), when)
        mesh.GetFaceVertexCountsAttr().Set(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)), when)
        rgb = np.ascontiguousarray(linear(rgb_of(made["colour"])), np.float32)
        paint.Set(Vt.Vec3fArray.FromNumpy(rgb), when)
        _primvars(mesh, told_of(made), when)
        if "rest" in made:
            rest = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("rest", types.Point3fArray, UsdGeom.Tokens.vertex)
            rest.Set(file.placed(made["rest"]), when)
        if "uv" in made:
            by = UsdGeom.Tokens.faceVarying if "uv_at" in made else UsdGeom.Tokens.vertex
            uv = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("st", types.TexCoord2fArray, by)
            uv.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(made["uv"], np.float32)), when)
            if "uv_at" in made:
                uv.SetIndices(Vt.IntArray.FromNumpy(made["uv_at"].ravel()), when)
        mesh.GetExtentAttr().Set(_extent(file.wish.placed(made["vertices"]).astype(np.float32)), when)

    return at_frame


def _draped(file: _File, matter: str) -> Callable[[int], None]:
    made: dict[str, Callable[[int, dict[str, Array]], None]] = {}

    def at_frame(frame: int) -> None:
        for name, mesh in file.take.draped(matter, frame):
            if name not in made:
                made[name] = _surface(file, matter, name, "dull")
            made[name](frame, mesh)

    return at_frame


def _streaks(file: _File, row: Any) -> None:
    from pxr import Usd, UsdGeom, Vt

    curves = UsdGeom.BasisCurves.Define(file.stage, file.place("streaks", file.take.labels[row.id]))
    curves.CreateTypeAttr(UsdGeom.Tokens.linear)
    paint = curves.CreateDisplayColorPrimvar(UsdGeom.Tokens.uniform)
    for frame in file.wish.frames:
        made, when = streak_of(file.take.shot, file.take.store, frame, row), Usd.TimeCode(frame)
        many, long = made["points"].shape[:2]
        points = made["points"].reshape(-1, 3)
        if long < 2:  # a curve has two points at least
            points, long = np.repeat(points, 2, axis=0), 2
        curves.GetPointsAttr().Set(file.placed(points), when)
        curves.GetCurveVertexCountsAttr().Set(Vt.IntArray.FromNumpy(np.full(many, long, np.int32)), when)
        rgb = np.ascontiguousarray(linear(rgb_of(made["colour"])), np.float32)
        paint.Set(Vt.Vec3fArray.FromNumpy(rgb), when)
        curves.GetExtentAttr().Set(_extent(file.wish.placed(points).astype(np.float32)), when)


def _points(file: _File, matter: str) -> Callable[[int], None]:
    from pxr import Usd, UsdGeom, Vt

    cloud = UsdGeom.Points.Define(file.stage, f"/shot/{matter}")

    def at_frame(frame: int) -> None:
        p, when = file.take.elements(frame, matter, file.wish), Usd.TimeCode(frame)
        points, radius = _vectors(p.pop("position")), p.pop("radius").astype(np.float32)
        cloud.GetPointsAttr().Set(points, when)
        cloud.GetVelocitiesAttr().Set(_vectors(p.pop("velocity")), when)
        cloud.GetWidthsAttr().Set(Vt.FloatArray.FromNumpy(2 * radius), when)
        cloud.GetIdsAttr().Set(Vt.Int64Array.FromNumpy(p.pop("id").astype(np.int64)), when)
        cloud.GetExtentAttr().Set(_extent(np.array(points).reshape(-1, 3), float(radius.max(initial=0))), when)
        _primvars(cloud, p, when)

    return at_frame


def _vectors(array: Array) -> Any:
    from pxr import Vt

    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(array, np.float32))


def _primvars(prim: Any, columns: dict[str, Array], when: Any) -> None:
    """Colours, and all attributes that a schema has no place for, by their names."""
    from pxr import Sdf, UsdGeom, Vt

    api, types = UsdGeom.PrimvarsAPI(prim), Sdf.ValueTypeNames
    for name, array in columns.items():
        if name == "rgb":
            paint = api.CreatePrimvar("displayColor", types.Color3fArray, UsdGeom.Tokens.vertex)
            paint.Set(_vectors(linear(array)), when)
        elif array.ndim == 1 and array.dtype.kind in "iu":
            made = api.CreatePrimvar(name, types.IntArray, UsdGeom.Tokens.vertex)
            made.Set(Vt.IntArray.FromNumpy(array.astype(np.int32)), when)
        elif array.ndim == 1:
            made = api.CreatePrimvar(name, types.FloatArray, UsdGeom.Tokens.vertex)
            made.Set(Vt.FloatArray.FromNumpy(array.astype(np.float32)), when)


def _volume(file: _File, matter: str) -> Callable[[int], Step]:
    """A volume, whose grids are in an OpenVDB file a frame beside the stage."""
    from pxr import Sdf, Usd, UsdVol

    volume = UsdVol.Volume.Define(file.stage, f"/shot/{matter}")
    names = ("density", "temperature", "velocity", *(("flames",) if file.take.shot.fires else ()))
    assets = []
    for name in names:
        asset = UsdVol.OpenVDBAsset.Define(file.stage, f"/shot/{matter}/{name}")
        asset.CreateFieldNameAttr(name)
        volume.CreateFieldRelationship(name, asset.GetPath())
        assets.append(asset.CreateFilePathAttr())

    def at_frame(frame: int) -> Step:
        grids, low, cell = at = grids_at(file.take, file.wish, frame)
        name, data = file_of(file.take, file.wish, frame, at)
        for asset in assets:
            asset.Set(Sdf.AssetPath(f"./{name}"), Usd.TimeCode(frame))
        high = low + cell * np.array(grids[0].values.shape)
        volume.GetExtentAttr().Set(_extent(np.stack([low, high])), Usd.TimeCode(frame))
        return name, data

    return at_frame


def _prototypes(file: _File, matter: str, scope: str) -> list[Any]:
    """The paths of the meshes of pieces, which others repeat."""
    from pxr import UsdGeom, Vt

    targets = []
    for number, mesh in enumerate(file.take.meshes[matter]):
        name = file.take.piece_name(matter, number)
        made = _mesh(file, file.place(scope, name), mesh["vertices"], mesh["faces"])
        _, inner, colours = sides_of(mesh)
        file.paint(made.GetPrim(), Material.of(name, colours[0], 0.0))
        if len(inner):
            faces = Vt.IntArray.FromNumpy(inner.astype(np.int32))
            inside = UsdGeom.Subset.CreateGeomSubset(made, "inside", UsdGeom.Tokens.face, faces, "materialBind")
            file.paint(inside.GetPrim(), Material.of(f"{name} inside", colours[1], 0.0))
        targets.append(made.GetPath())
    return targets


def _pieces(file: _File, matter: str) -> Callable[[int], None]:
    from pxr import Gf, Usd, UsdGeom, Vt

    take = file.take
    crowd = UsdGeom.PointInstancer.Define(file.stage, f"/shot/{matter}")
    crowd.CreatePrototypesRel().SetTargets(_prototypes(file, matter, f"{matter}/prototypes"))

    def at_frame(frame: int) -> None:
        p, when = take.elements(frame, matter, file.wish), Usd.TimeCode(frame)
        points = _vectors(p.pop("position"))
        crowd.GetPositionsAttr().Set(points, when)
        crowd.GetVelocitiesAttr().Set(_vectors(p.pop("velocity")), when)
        crowd.GetAngularVelocitiesAttr().Set(_vectors(np.degrees(p.pop("spin"))), when)
        turns = [(w, x, y, z) for x, y, z, w in p.pop("turn").astype(float).tolist()]
        crowd.GetOrientationsfAttr().Set(Vt.QuatfArray([Gf.Quatf(*turn) for turn in turns]), when)
        crowd.GetOrientationsAttr().Set(Vt.QuathArray([Gf.Quath(*turn) for turn in turns]), when)  # for older readers
        crowd.GetScalesAttr().Set(_vectors(np.repeat(p.pop("scale")[:, None], 3, axis=1)), when)
        crowd.GetProtoIndicesAttr().Set(Vt.IntArray.FromNumpy(p.pop("piece").astype(np.int32)), when)
        crowd.GetIdsAttr().Set(Vt.Int64Array.FromNumpy(p.pop("id").astype(np.int64)), when)
        reach = float(p["radius"].max(initial=0))
        crowd.GetExtentAttr().Set(_extent(np.array(points).reshape(-1, 3), reach), when)
        _primvars(crowd, p, when)

    return at_frame


def _nodes(file: _File, matter: str) -> Callable[[int], None]:
    """Each piece as a node that moves; one that is not there is of no size."""
    from pxr import Gf, Sdf, Usd, UsdGeom

    take, wish, types = file.take, file.wish, Sdf.ValueTypeNames
    UsdGeom.Scope(file.stage.CreateClassPrim(f"/shot/{matter}_meshes"))
    meshes = _prototypes(file, matter, f"{matter}_meshes")
    for number, columns in take.tracks(matter, wish.frames, ("velocity", "spin")):
        piece = int(columns["piece"])
        node = file.stage.DefinePrim(file.place(matter, take.element_name(matter, piece, number)))
        node.GetReferences().AddInternalReference(meshes[piece])
        moved = UsdGeom.Xformable(node)
        place, turn, size = moved.AddTranslateOp(), moved.AddOrientOp(), moved.AddScaleOp()
        places = wish.placed(columns["position"]).astype(float).tolist()
        ways = wish.turned(columns["turn"][:, :3]).astype(float).tolist()
        speed = UsdGeom.PrimvarsAPI(node).CreatePrimvar("velocity", types.Vector3f, UsdGeom.Tokens.constant)
        spin = UsdGeom.PrimvarsAPI(node).CreatePrimvar("spin", types.Vector3f, UsdGeom.Tokens.constant)
        velocity = wish.placed(columns["velocity"]).astype(float).tolist()
        spins = wish.turned(columns["spin"]).astype(float).tolist()
        for n, frame in enumerate(wish.frames):
            when = Usd.TimeCode(frame)
            place.Set(Gf.Vec3d(*places[n]), when)
            turn.Set(Gf.Quatf(float(columns["turn"][n, 3]), *ways[n]), when)
            size.Set(Gf.Vec3f(float(columns["scale"][n])), when)
            speed.Set(Gf.Vec3f(*velocity[n]), when)
            spin.Set(Gf.Vec3f(*spins[n]), when)
    return lambda frame: None


# What writes each kind of data: it begins a prim, and gives what writes a frame into it.
Begin = Callable[[_File, str], Callable[[int], Step]]
OF_KIND: dict[str, Begin] = {
    "points": _points,
    "volume": _volume,
    "pieces": _pieces,
    "mesh": _draped,
}


def _extent(points: NDArray[np.float32], grow: float = 0.0) -> Any:
    from pxr import Vt

    ends = [points.min(axis=0) - grow, points.max(axis=0) + grow] if len(points) else np.zeros((2, 3))
    return Vt.Vec3fArray.FromNumpy(np.array(ends, np.float32))


def _matrix(take: Take, wish: Wish, prop: Prop, frame: int) -> NDArray[np.float64]:
    """A pose as a 4 by 4 for row vectors, in the wanted unit and axes."""
    pose = pose_at(prop, take.shot.clock.at(take.store.run_frame(frame)))
    turn = wish.turned(np.eye(3)).T
    matrix = np.eye(4)
    matrix[:3, :3] = (turn @ pose.matrix @ turn.T).T * pose.scale
    matrix[3, :3] = turn @ pose.position * wish.scale
    return matrix
