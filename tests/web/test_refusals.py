"""Bad input of every kind through the page: a clear sentence, nothing changed, nothing lost, never a trace."""

import html
import io
import json
import re
import struct
import zipfile
from concurrent.futures import ThreadPoolExecutor

import httpx
import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from hotgravel.core.shot.document import load
from tests.conftest import document as plain
from tests.core.shot.test_document import put, whole

MIB = 2**20


def document(client, shot):
    return client.get(f"/shots/{shot}.json").json()


def count(client):
    return len(client.get("/shots.json").json())


@pytest.fixture(scope="module")
def shot(client):
    answer = client.post("/shots", data={"starter": "cinder fountain"})
    number = int(answer.headers["location"].split("/")[-1])
    yield number
    client.post(f"/shots/{number}/delete")


def told(answer: httpx.Response, said: str) -> None:
    """It was refused with a sentence that holds these words: as data, or as a fault on the page."""
    assert 400 <= answer.status_code < 500, (answer.status_code, answer.text[:300])
    if "json" in answer.headers["content-type"]:
        sentence = answer.json()["detail"]
    else:
        sentence = " ".join(re.findall(r'<p class="fault"[^>]*>(.*?)</p>', html.unescape(answer.text), re.DOTALL))
    assert len(sentence) > 12, answer.text[:300]
    assert said in sentence, sentence
    assert "Traceback" not in sentence


# Shot files


def packed(files: dict[str, bytes], squeeze: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", squeeze) as file:
        for name, data in files.items():
            file.writestr(name, data)
    return out.getvalue()


def text_of(shot) -> bytes:
    return json.dumps(shot).encode()


def with_mesh() -> bytes:
    return text_of(put(plain(), "set.1.shape", {"kind": "mesh", "file": "a.obj"}))


def lying(data: bytes) -> bytes:
    """The size that the zip's directory states for its entry, made small."""
    at = data.rindex(b"PK\x01\x02")
    return data[: at + 24] + struct.pack("<I", 10) + data[at + 28 :]


KEY = {"frame": 1, "value": 2}
FILES = {
    "no bytes": (b"", "Not JSON"),
    "no JSON": (b"hello", "Not JSON"),
    "half a file": (text_of(whole())[:-40], "Not JSON"),
    "bytes that are no text": (b"\x80 a shot", "UTF-8"),
    "a list": (b"[1, 2]", "JSON object"),
    "a hundred levels deep": (b'{"set":' + b"[" * 100 + b"]" * 100 + b"}", ""),
    "a hundred thousand levels deep": (b"[" * 100_000, "deep"),
    "a file of something else": (text_of({"format": "other"}), "not a shot file"),
    "a newer version": (text_of(whole() | {"version": 7}), "newer Hot Gravel"),
    "an unknown section": (text_of(whole() | {"lights": []}), "no such field"),
    "an unknown field": (text_of(put(whole(), "supply.0.sped", 1)), "Row 'source', field 'sped'"),
    "a name of two lines": (text_of(put(whole(), "set.0.name", "a\nb")), "field 'name': It holds a line break"),
    "a shot's name with a bell": (text_of(whole() | {"name": "ring\a"}), "control character"),
    "a name of a page": (text_of(put(whole(), "set.0.name", "a" * 99)), "60 characters at most"),
    "a size of nothing": (text_of(put(whole(), "supply.0.radius", 1e-300)), "smaller than a micrometre"),
    "an unknown kind": (text_of(put(whole(), "forces.0.kind", "magic")), "Accepted kinds:"),
    "a wrong type": (text_of(put(whole(), "supply.0.speed", "fast")), "no number"),
    "a negative radius": (text_of(put(whole(), "supply.0.radius", -0.1)), "too low"),
    "NaN": (text_of(whole()).replace(b'"radius": 0.01', b'"radius": NaN'), "no number"),
    "infinity": (text_of(whole()).replace(b'"radius": 0.01', b'"radius": Infinity'), "no number"),
    "a number past all floats": (text_of(whole()).replace(b'"radius": 0.01', b'"radius": 1e999'), "no number"),
    "a huge count": (text_of(put(whole(), "supply.0.emit.count", 10**12)), "too high"),
    "a count of digits without end": (
        text_of(whole()).replace(b'"count": 1,', b'"count": ' + b"9" * 5000 + b","), "thousands of digits",
    ),
    "an end before its start": (
        text_of(put(whole(), "supply.0.emit", {"kind": "stream", "start": 9, "end": 3})), "Accepted: 9 or later",
    ),
    "a last frame before the first": (text_of(put(whole(), "finish.first", 900)), "before the first"),
    "too many frames": (text_of(put(whole(), "finish.last", 10**6)), "Too many frames"),
    "a missing prop": (text_of(put(whole(), "supply.0.prop", "moon")), "no row 'moon'"),
    "a reference to itself": (text_of(put(whole(), "supply.0.prop", "source")), "'source' is a source"),
    "a reference to the wrong kind": (text_of(put(whole(), "cues.0.whom", "ground")), "'ground' is a prop"),
    "two rows of one id": (text_of(put(whole(), "set.1.id", "ground")), "needs its own"),
    "a name without end": (text_of(whole() | {"name": "x" * 100_000}), "80"),
    "an id that is a path": (text_of(put(whole(), "set.0.id", "../../etc")), "does not have the form"),
    "a mesh outside": (text_of(put(whole(), "set.0.shape", {"kind": "mesh", "file": "/etc/passwd"})), "form"),
    "a mesh in a device": (text_of(put(whole(), "set.0.shape", {"kind": "mesh", "file": "a\x00.obj"})), "form"),
    "a colour that is script": (text_of(put(whole(), "set.0.colour", "url(javascript:1)")), "form"),
    "a million keys": (
        text_of(put(whole(), "supply.0.speed", {"kind": "keys", "keys": [{"frame": i, "value": 1} for i in range(400_000)]})),
        "10000",
    ),
    "two keys at one frame": (text_of(put(whole(), "supply.0.speed", {"kind": "keys", "keys": [KEY, KEY]})), "one key"),
    "a key at no frame": (
        text_of(whole()).replace(b'"frame": 9,', b'"frame": NaN,'), "no number",
    ),
    "a thousand rows too many": (text_of(plain(forces=[{"kind": "gravity", "id": f"g{i}"} for i in range(2000)])), "at most 500"),
    "half a zip": (packed({"shot.json": text_of(whole())})[:-30], "cannot be read"),
    "a zip of rubbish": (b"PK\x03\x04" + b"rubbish" * 50, "cannot be read"),
    "a zip without a shot": (packed({"meshes/a.obj": b"v 0 0 0"}), "holds no shot.json"),
    "a zip with a path upwards": (packed({"shot.json": b"{}", "../evil.obj": b"x"}), "'../evil.obj'"),
    "a zip with a folder below": (packed({"shot.json": b"{}", "meshes/deep/evil.obj": b"x"}), "meshes/deep/evil.obj"),
    "a zip with a program": (packed({"shot.json": b"{}", "meshes/evil.py": b"x"}), "Accepted: shot.json"),
    "a zip in a zip": (packed({"shot.json": b"{}", "meshes/more.zip": packed({"a": b""})}), "Accepted: shot.json"),
    "a zip of many files": (packed({f"meshes/{i}.obj": b"" for i in range(500)}), "Accepted: up to 200"),
    "a bomb of a shot": (packed({"shot.json": b" " * (33 * MIB)}), "unpacks to over 32 MiB"),
    "a bomb of a mesh": (packed({"shot.json": with_mesh(), "meshes/a.obj": b"\0" * (257 * MIB)}), "unpacks to over 256 MiB"),
    "a zip that lies about its sizes": (lying(packed({"shot.json": b" " * (33 * MIB)})), ""),
    "a zip that lacks a mesh": (packed({"shot.json": with_mesh()}), "lacks a.obj"),
    "a zip with a mesh that is none": (packed({"shot.json": with_mesh(), "meshes/a.obj": b"nothing"}), "a.obj"),
}  # fmt: skip


@pytest.mark.parametrize("kind", FILES)
def test_a_bad_shot_file_is_told_and_adds_nothing(client, kind):
    data, said = FILES[kind]
    before = count(client)
    told(client.post("/shots/upload", files={"file": ("x.shot.json", data)}), said)
    assert count(client) == before


# Meshes


def box() -> trimesh.Trimesh:
    return trimesh.creation.box()


def glb_that_lies() -> bytes:
    data = bytearray(box().export(file_type="glb"))
    return bytes(data).replace(b'"count":36', b'"count":99', 1) if b'"count":36' in data else bytes(data[:-200])


def stl_of(stated: int, triangles: int) -> bytes:
    return b"\0" * 80 + struct.pack("<I", stated) + b"\0" * (50 * triangles)


def outside_gltf() -> bytes:
    points = {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}
    return text_of({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}], "accessors": [points],
        "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"uri": "../hotgravel.sqlite", "byteLength": 36}],
    })  # fmt: skip


def many_triangles() -> bytes:
    count = 2_000_001
    rows = np.zeros(count, np.dtype([("n", "<f4", 3), ("p", "<f4", 9), ("a", "<u2")]))
    rows["p"][:, 3] = rows["p"][:, 7] = np.arange(1, count + 1)
    return b"\0" * 80 + struct.pack("<I", count) + rows.tobytes()


MESHES = {
    "no mesh format": ("a.txt", b"x", "no format that is read"),
    "no name": ("..", b"x", "no format that is read"),
    "a program by its name": ("a.obj.exe", b"x", "no format that is read"),
    "an empty STL": ("a.stl", b"", "no triangles"),
    "an empty OBJ": ("a.obj", b"", "a"),
    "points without faces": ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "no triangles"),
    "faces that name no points": ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "a"),
    "points that are no numbers": ("a.obj", b"v a b c\nf 1 1 1\n", "a"),
    "points at NaN": ("a.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not finite"),
    "triangles without area": ("a.obj", b"v 0 0 0\nv 0 0 0\nv 0 0 0\nf 1 2 3\n", "a"),
    "a PLY that states more than it has": (
        "a.ply", b"ply\nformat binary_little_endian 1.0\nelement vertex 999999999\nproperty float x\nend_header\n", "cannot be read as PLY",
    ),
    "half a PLY": ("a.ply", box().export(file_type="ply")[:-90], "a"),
    "an STL that states more than it has": ("a.stl", stl_of(4_000_000_000, 3), "a.stl"),
    "a GLB that lies": ("a.glb", glb_that_lies(), "a"),
    "half a GLB": ("a.glb", box().export(file_type="glb")[:100], "cannot be read as GLB"),
    "a glTF that reads outside": ("a.gltf", outside_gltf(), "cannot be read as GLTF"),
    "velocities that are none": ("a.npz", b"PK\x03\x04", "cannot be read as NPZ"),
    "too many triangles": ("a.stl", many_triangles(), "Accepted: up to 2000000"),
}  # fmt: skip


@pytest.mark.parametrize("kind", MESHES)
def test_a_bad_mesh_is_told_and_adds_nothing(client, server, shot, kind):
    name, data, said = MESHES[kind]
    before = document(client, shot)
    kept = sorted(p.name for p in (server.store / "meshes").glob("*"))
    answer = client.post(f"/shots/{shot}/meshes", data={"revision": 1}, files={"mesh": (name, data)})
    told(answer, said)
    assert document(client, shot) == before
    assert sorted(p.name for p in (server.store / "meshes").glob("*")) == kept


# Edits

EDITS = {
    "an unknown row": ("rows/nobody/set", {"path": "speed", "value": "9"}, "no such row"),
    "an unknown path": ("rows/fountain/set", {"path": "sped", "value": "9"}, "no such field"),
    "a path into Python": ("rows/fountain/set", {"path": "__class__.__init__", "value": "9"}, ""),
    "a path into a number": ("rows/fountain/set", {"path": "speed.real", "value": "9"}, ""),
    "no number": ("rows/fountain/set", {"path": "speed", "value": "quick"}, "is not a number"),
    "a wrong unit": ("rows/fountain/set", {"path": "speed", "value": "9 kg"}, "Accepted"),
    "not a number": ("rows/fountain/set", {"path": "speed", "value": "nan"}, "Accepted"),
    "infinite": ("rows/fountain/set", {"path": "speed", "value": "1e400"}, "Accepted"),
    "nothing": ("rows/fountain/set", {"path": "speed", "value": ""}, "Accepted"),
    "a null byte": ("rows/fountain/set", {"path": "speed", "value": "9\x00"}, "Accepted"),
    "a word that is no choice": ("rows/finish/set", {"path": "quality", "value": "superb"}, "Accepted"),
    "an id that may not change": ("rows/fountain/set", {"path": "id", "value": "other"}, ""),
    "a kind that may not change": ("rows/fountain/set", {"path": "kind", "value": "cue"}, ""),
    "a name without end": ("rows/plain/set", {"path": "name", "value": "x" * 5000}, "60"),
    "no name": ("rows/plain/set", {"path": "name", "value": "  "}, ""),
    "keys that are none": ("rows/fountain/keys", {"path": "speed", "frame": "one", "value": "2", "ease": "smooth"}, "frame"),
    "an ease that is none": ("rows/fountain/keys", {"path": "speed", "frame": "1", "value": "2", "ease": "wobbly"}, "ease"),
    "too many keys for a form": ("rows/fountain/keys", {"path": "speed", "frame": ["1"] * 1500, "value": ["1"] * 1500}, "Too many"),
    "driving what cannot be driven": ("rows/finish/drive", {"path": "rate"}, "rate"),
    "an unknown kind of row": ("rows", {"kind": "dragon", "section": "set"}, "dragon"),
    "removing what others need": ("rows/mouth/remove", {}, "Still named by fountain"),
    "a reference to nothing": ("rows/fountain/set", {"path": "prop", "value": "moon"}, "moon"),
    "references to nothing": ("rows/landing/refers", {"path": "props", "value": ["moon"]}, "moon"),
    "references at a path that is none": ("rows/landing/refers", {"path": "a.b.c", "value": ["plain"]}, "no such field"),
    "references where none are": ("rows/landing/refers", {"path": "bounce", "value": ["plain"]}, "does not name several"),
    "nothing typed": ("rows/fountain/set", {"path": "speed", "value": " "}, "Nothing was typed"),
    "no revision": ("rows/fountain/set", {"path": "speed", "value": "9", "revision": "x"}, "revision"),
    "an unknown unit for a mesh": ("meshes", {"unit": "parsec"}, "unit"),
}  # fmt: skip


@pytest.mark.parametrize("kind", EDITS)
def test_a_bad_edit_is_told_and_changes_nothing(client, shot, kind):
    where, fields, said = EDITS[kind]
    before = document(client, shot)
    files = {"mesh": ("a.obj", box().export(file_type="obj").encode())} if where == "meshes" else None
    told(client.post(f"/shots/{shot}/{where}", data={"revision": 1} | fields, files=files), said)
    assert document(client, shot) == before


def test_there_are_at_least_sixty_kinds():
    assert len(FILES) + len(MESHES) + len(EDITS) >= 60


def test_more_than_is_taken_at_once_is_refused_before_it_is_read(client, server):
    assert client.post("/shots", content=b"x" * (5 * MIB)).status_code == 413

    def pieces():  # no stated length, so it is counted as it comes
        for _ in range(6):
            yield b"x" * MIB

    answer = client.post("/shots/1/camera", content=pieces(), headers={"content-type": "application/json"})
    assert answer.status_code == 413
    assert "Accepted: up to 4 MiB" in answer.json()["detail"]


PATHS = (
    "speed", "radius", "life", "emit", "emit.count", "aim", "aim.cone", "prop", "state", "part", "seed", "on", "speed_spread",
)  # fmt: skip
WORDS = ("9", "0", "-1", "1e9", "nan", "12 cm/s", "", "burst", "stream", "plain", "outward", "never", "3; 4")
TYPED = st.one_of(st.sampled_from(WORDS), st.text(max_size=6), st.floats().map(str))


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(PATHS), TYPED, st.sampled_from(["set", "drive", "switch", "duplicate", "keys"]))
def test_no_edit_through_the_page_makes_a_document_that_does_not_load(client, shot, path, text, act):
    revision = max(r["revision"] for r in client.get("/shots.json").json() if r["id"] == shot)
    fields = {"path": path, "value": text, "on": text, "frame": "1", "ease": "smooth", "revision": revision}
    answer = client.post(f"/shots/{shot}/rows/fountain/{act}", data=fields)
    assert answer.status_code in (200, 422), answer.text[:300]
    after = document(client, shot)
    assert load(after).dump() == after
    if answer.status_code == 200:
        client.post(f"/shots/{shot}/undo", data={"revision": revision + 1})


WILD = [
    "", " ", "quick", "nan", "inf", "1e400", "-1e30", "1e-300", "0x10", "1,2,3", "5 parsecs", "12 f f", "1/0", "<b>3</b>",
    "\u0661", "9" * 300, "a\nb", "\x00", "{}", "None",
]  # fmt: skip
PLACES = [
    ("fountain", path) for path in
    ("speed", "radius", "life", "emit.rate", "emit.start", "emit.kind", "aim.cone", "prop", "state", "seed")
]  # fmt: skip


def test_two_hundred_bad_values_are_told_or_taken_but_never_break_anything(client, shot):
    revision, told_of = 1, 0
    for row, path in PLACES:
        for text in WILD:
            before = document(client, shot)
            answer = client.post(
                f"/shots/{shot}/rows/{row}/set", data={"path": path, "value": text, "revision": revision}
            )
            assert answer.status_code in (200, 422), (path, text, answer.text[:300])
            revision = int(re.search(r'name="revision" value="(\d+)"', answer.text)[1])
            if answer.status_code == 422:
                told_of += 1
                assert 'role="alert"' in answer.text
                assert document(client, shot) == before
    assert len(PLACES) * len(WILD) == 200
    assert told_of > 150


def test_eight_zips_with_meshes_of_one_name_keep_each_its_own(client, server):
    def packed(size):
        plain = {"kind": "prop", "id": "rock", "name": "rock", "shape": {"kind": "mesh", "file": "rock.stl"}}
        shot = {"format": "hotgravel.shot", "version": 1, "name": f"size {size}", "set": [plain]}
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as file:
            file.writestr("shot.json", json.dumps(shot))
            file.writestr("meshes/rock.stl", trimesh.creation.box(extents=[size] * 3).export(file_type="stl"))
        return out.getvalue()

    def send(size):
        answer = client.post("/shots/upload", files={"file": ("a.zip", packed(size))})
        return int(answer.headers["location"].split("/")[-1])

    with ThreadPoolExecutor(8) as pool:
        numbers = list(pool.map(send, range(1, 9)))
    for size, number in enumerate(numbers, 1):
        name = document(client, number)["set"][0]["shape"]["file"]
        kept = trimesh.load_mesh(server.store / "meshes" / name)
        assert np.ptp(kept.vertices, axis=0) == pytest.approx([size] * 3)
        client.post(f"/shots/{number}/delete")
    assert not list((server.store / "incoming").iterdir())
