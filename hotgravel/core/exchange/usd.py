"""A run as one USD file, with time samples: particles as points, props as meshes that move, skins as
meshes that change.

Source: the UsdGeom schemas. A time code is a frame; widths are diameters; velocities are in
units a second, as the schema has it.
"""

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import linear, rgb_of
from hotgravel.core.exchange.take import Step, Take, Wish
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.shape.pose import moves, pose_at
from hotgravel.core.shot.props import Prop


def write_usd(take: Take, wish: Wish) -> Iterator[Step]:
    """One file for all frames."""
    from pxr import Gf, Sdf, Usd, UsdGeom, Vt

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "shot.usdc"
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

        for prop in take.shot.props:
            vertices, faces = take.triangles(prop)
            mesh = UsdGeom.Mesh.Define(stage, f"/shot/set/{prop.id.replace('-', '_')}")
            points = wish.placed(vertices).astype(np.float32)
            mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
            mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(faces.ravel().astype(np.int32)))
            mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)))
            mesh.CreateExtentAttr(_extent(points, Vt))
            mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
            mesh.GetPrim().SetMetadata("comment", prop.name)
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

        for row in (skin.id for skin in take.shot.skins):
            skin = UsdGeom.Mesh.Define(stage, f"/shot/skins/{row.replace('-', '_')}")
            skin.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
            paint = skin.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
            for frame in wish.frames:
                made, when = take.store.skin(frame, row), Usd.TimeCode(frame)
                points = np.ascontiguousarray(wish.placed(made["vertices"]), np.float32)
                skin.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(points), when)
                going = np.ascontiguousarray(wish.placed(made["velocity"]), np.float32)
                skin.GetVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(going), when)
                faces = made["faces"].astype(np.int32)
                skin.GetFaceVertexIndicesAttr().Set(Vt.IntArray.FromNumpy(faces.ravel()), when)
                skin.GetFaceVertexCountsAttr().Set(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)), when)
                rgb = np.ascontiguousarray(linear(rgb_of(made["colour"])), np.float32)
                paint.Set(Vt.Vec3fArray.FromNumpy(rgb), when)
                skin.GetExtentAttr().Set(_extent(points, Vt), when)

        for streaks in take.shot.streaks:
            curves = UsdGeom.BasisCurves.Define(stage, f"/shot/streaks/{streaks.id.replace('-', '_')}")
            curves.CreateTypeAttr(UsdGeom.Tokens.linear)
            paint = curves.CreateDisplayColorPrimvar(UsdGeom.Tokens.uniform)
            for frame in wish.frames:
                made, when = streak_of(take.shot, take.store, frame, streaks), Usd.TimeCode(frame)
                many, long = made["points"].shape[:2]
                points = np.ascontiguousarray(wish.placed(made["points"].reshape(-1, 3)), np.float32)
                if long < 2:  # a curve has two points at least
                    points, long = np.repeat(points, 2, axis=0), 2
                curves.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(points), when)
                curves.GetCurveVertexCountsAttr().Set(Vt.IntArray.FromNumpy(np.full(many, long, np.int32)), when)
                rgb = np.ascontiguousarray(linear(rgb_of(made["colour"])), np.float32)
                paint.Set(Vt.Vec3fArray.FromNumpy(rgb), when)
                curves.GetExtentAttr().Set(_extent(points, Vt), when)

        cloud = UsdGeom.Points.Define(stage, "/shot/particles")
        state = UsdGeom.PrimvarsAPI(cloud).CreatePrimvar("state", Sdf.ValueTypeNames.IntArray, UsdGeom.Tokens.vertex)
        for frame in wish.frames:
            p = take.store.particles(frame, ("position", "velocity", "radius", "id", "state"))
            when = Usd.TimeCode(frame)
            points = np.ascontiguousarray(wish.placed(p["position"]), np.float32)
            cloud.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(points), when)
            velocities = np.ascontiguousarray(wish.placed(p["velocity"]), np.float32)
            cloud.GetVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(velocities), when)
            cloud.GetWidthsAttr().Set(Vt.FloatArray.FromNumpy((2 * wish.scale * p["radius"]).astype(np.float32)), when)
            cloud.GetIdsAttr().Set(Vt.Int64Array.FromNumpy(p["id"].astype(np.int64)), when)
            state.Set(Vt.IntArray.FromNumpy(p["state"].astype(np.int32)), when)
            cloud.GetExtentAttr().Set(_extent(points, Vt, wish.scale * float(p["radius"].max(initial=0))), when)
            yield None
        stage.GetRootLayer().Save()
        yield wish.name(take, None, ".usdc"), path.read_bytes()


def _extent(points: NDArray[np.float32], vt: Any, grow: float = 0.0) -> Any:
    ends = [points.min(axis=0) - grow, points.max(axis=0) + grow] if len(points) else np.zeros((2, 3))
    return vt.Vec3fArray.FromNumpy(np.array(ends, np.float32))


def _matrix(take: Take, wish: Wish, prop: Prop, frame: int) -> NDArray[np.float64]:
    """A pose as a 4 by 4 for row vectors, in the wanted unit and axes."""
    pose = pose_at(prop, take.shot.clock.at(take.store.run_frame(frame)))
    turn = wish.turned(np.eye(3)).T
    matrix = np.eye(4)
    matrix[:3, :3] = (turn @ pose.matrix @ turn.T).T * pose.scale
    matrix[3, :3] = turn @ pose.position * wish.scale
    return matrix
