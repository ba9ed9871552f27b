"""What the server answers: pages, edits, runs, frames, downloads, and refusals as sentences."""

import html
import io
import json
import re
import sqlite3
import struct
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
import trimesh
from fastapi.testclient import TestClient
from plyfile import PlyData
from sqlalchemy.exc import OperationalError

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import demo_names, demo_path
from hotgravel.farm.cluster import OVER
from hotgravel.farm.cutting import DONE, GOING, Standing
from hotgravel.store import runs, shots
from hotgravel.web import runs_page
from hotgravel.web.app import create_app
from hotgravel.web.studio import Studio
from hotgravel.web.wire import packed_frame
from tests.core.matter.liquid.scenes import body_of, wet
from tests.web.conftest import PATIENCE, ended


@pytest.fixture
def shot(client):
    """A fresh shot from the smallest starter; its number."""
    answer = client.post("/shots", data={"starter": "cinder fountain"})
    assert answer.status_code == 303
    number = int(answer.headers["location"].split("/")[-1])
    yield number
    client.post(f"/shots/{number}/delete")


def edit(client, shot, row, path, value, revision=1, **more):
    fields = {"path": path, "value": value, "revision": revision} | more
    return client.post(f"/shots/{shot}/rows/{row}/set", data=fields)


def document(client, shot):
    return client.get(f"/shots/{shot}.json").json()


def test_every_page_has_a_json_twin(client, shot, demo_run):
    assert "Ember burst" in client.get("/").text
    assert {"Ember burst", "New fountain"} <= {s["name"] for s in client.get("/shots.json").json()}
    assert "Particles a second" in client.get(f"/shots/{shot}").text
    assert document(client, shot)["format"] == "hotgravel.shot"
    told = client.get(f"/runs/{demo_run}.json").json()
    assert len(told["frames"]) == 120


def test_an_edit_is_a_revision_with_words(client, shot):
    answer = edit(client, shot, "fountain", "speed", "900 cm/s")
    assert answer.status_code == 200
    assert "Revision 2: fountain: speed 8 m/s to 9 m/s" in answer.text
    assert document(client, shot)["supply"][0]["speed"] == 9
    facts = json.loads(html.unescape(re.search(r'id="news" hidden>(.*?)</div>', answer.text)[1]))
    assert facts["revision"] == 2


def test_a_refused_edit_changes_nothing_and_loses_nothing(client, shot):
    before = document(client, shot)
    answer = edit(client, shot, "fountain", "speed", "very <b>fast</b>")
    assert answer.status_code == 422
    assert "is not a number. Accepted: a number in m/s" in answer.text.replace("&#39;", "'")
    assert "very &lt;b&gt;fast&lt;/b&gt;" in answer.text
    assert document(client, shot) == before


def test_an_edit_on_a_stale_page_is_refused_with_the_current_page(client, shot):
    edit(client, shot, "fountain", "speed", "9")
    answer = edit(client, shot, "fountain", "speed", "12", revision=1)
    assert answer.status_code == 409
    assert "changed elsewhere" in answer.text
    assert "It now says: From the surface of vent mouth" in answer.text
    assert "at 9 m/s give or take" in answer.text
    assert document(client, shot)["supply"][0]["speed"] == 9


def test_edits_are_undone_redone_and_gone_back_to(client, shot):
    edit(client, shot, "fountain", "speed", "9")
    edit(client, shot, "fountain", "speed", "11", revision=2)
    undone = client.post(f"/shots/{shot}/undo", data={"revision": 3})
    assert "Redo fountain: speed 9 m/s to 11 m/s" in undone.text
    assert document(client, shot)["supply"][0]["speed"] == 9
    assert client.post(f"/shots/{shot}/redo", data={"revision": 3}).status_code == 409
    client.post(f"/shots/{shot}/redo", data={"revision": 2})
    assert document(client, shot)["supply"][0]["speed"] == 11
    page = client.get(f"/shots/{shot}/history", params={"from": 1, "to": 3}).text
    assert "at 8 m/s give or take" in page
    assert "at 11 m/s give or take" in page
    assert client.post(f"/shots/{shot}/history", data={"number": 1}).status_code == 303
    assert document(client, shot)["supply"][0]["speed"] == 8
    assert client.get(f"/shots/{shot}/history", params={"from": 99}).status_code == 404


def test_rows_are_added_switched_duplicated_driven_and_removed(client, shot):
    def post(where, revision, **data):
        answer = client.post(f"/shots/{shot}/{where}", data={"revision": revision} | data)
        assert answer.status_code == 200, answer.text
        return document(client, shot)

    assert post("rows", 1, kind="wind", section="forces")["forces"][1]["kind"] == "wind"
    assert post("rows/wind/switch", 2, on="0")["forces"][1]["on"] is False
    assert len(post("rows/wind/duplicate", 3)["forces"]) == 3
    assert post("rows/wind/drive", 4, path="speed")["forces"][1]["speed"]["kind"] == "keys"
    keys = {"frame": ["1", "24", ""], "value": ["0", "6 m/s", ""], "ease": ["linear", "step", "smooth"]}
    assert [k["value"] for k in post("rows/wind/keys", 5, path="speed", **keys)["forces"][1]["speed"]["keys"]] == [0, 6]
    assert post("rows/wind/undrive", 6, path="speed", frame=24)["forces"][1]["speed"] == 6
    assert post("rows/landing/refers", 7, path="props", value=["plain", "mouth"])["matter"][1]["props"] == [
        "plain",
        "mouth",
    ]
    assert len(post("rows/wind/remove", 8)["forces"]) == 2


def test_a_mesh_is_taken_in_and_a_bad_one_refused(client, shot):
    block = trimesh.creation.box(extents=[1, 2, 1]).export(file_type="obj").encode()
    answer = client.post(f"/shots/{shot}/meshes", data={"revision": 1}, files={"mesh": ("../../My Block!.obj", block)})
    assert answer.status_code == 200
    prop = document(client, shot)["set"][-1]
    assert (prop["shape"]["kind"], prop["shape"]["file"]) == ("mesh", "My-Block.obj")
    assert "12 triangles, 1 × 2 × 1 m, closed." in answer.text
    shown = client.get(f"/shots/{shot}/set.json").json()["props"][-1]
    assert len(shown["faces"]) == 36
    for name, data, said in (
        ("a.txt", b"x", "no format that is read"),
        ("a.ply", b"ply\nrubbish", "cannot be read"),
        ("a.stl", b"", "read"),
    ):
        answer = client.post(f"/shots/{shot}/meshes", data={"revision": 2}, files={"mesh": (name, data)})
        assert answer.status_code == 422, answer.text
        assert said in answer.text
    assert len(document(client, shot)["set"]) == 3
    asked = {"revision": 2, "unit": "cm", "up": "z"}
    answer = client.post(f"/shots/{shot}/meshes", data=asked, files={"mesh": ("small.obj", block)})
    assert "12 triangles, 0.01 × 0.01 × 0.02 m, closed." in answer.text
    assert '<option value="cm" selected>' in answer.text  # and the next import starts from there
    row = document(client, shot)["set"][-1]["id"]
    edited = edit(client, shot, row, "shape.unit", "foot", revision=3, unfolded=row)
    assert "0.305 × 0.305 × 0.61 m" in edited.text


def test_a_field_of_velocities_is_taken_in_shown_and_travels(client, shot):
    packed = io.BytesIO()
    np.savez(packed, velocity=np.ones((3, 3, 3, 3)), origin=[-1, 0, -1], cell=1.0)
    files = {"mesh": ("Evening Breeze.npz", packed.getvalue())}
    assert client.post(f"/shots/{shot}/meshes", data={"revision": 1}, files=files).status_code == 200
    field = document(client, shot)["set"][-1]
    assert (field["kind"], field["name"], field["file"]) == ("field", "Evening Breeze", "Evening-Breeze.npz")
    shown = client.get(f"/shots/{shot}/set.json").json()["zones"][-1]
    assert shown["outlines"] == [{"at": [0, 1, 0], "size": [2, 2, 2]}]
    client.post(f"/shots/{shot}/rows", data={"revision": 2, "kind": "follow", "section": "forces"})
    assert document(client, shot)["forces"][-1]["field"] == field["id"]
    taken = client.post("/shots/upload", files={"file": ("x.zip", client.get(f"/shots/{shot}.zip").content)})
    assert document(client, taken.headers["location"].split("/")[-1])["set"][-1]["file"] == "Evening-Breeze.npz"
    client.post(f"{taken.headers['location']}/delete")


def test_a_shot_travels_with_its_meshes(client, shot):
    block = trimesh.creation.box(extents=[1, 2, 1]).export(file_type="obj").encode()
    client.post(f"/shots/{shot}/meshes", data={"revision": 1}, files={"mesh": ("travels.obj", block)})
    packed = client.get(f"/shots/{shot}.zip")
    assert zipfile.ZipFile(io.BytesIO(packed.content)).namelist() == ["shot.json", "meshes/travels.obj"]
    other = trimesh.creation.box(extents=[3, 3, 3]).export(file_type="obj").encode()
    client.post(f"/shots/{shot}/meshes", data={"revision": 2}, files={"mesh": ("other.obj", other)})
    renamed = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(packed.content)) as old, zipfile.ZipFile(renamed, "w") as new:
        new.writestr("shot.json", old.read("shot.json").replace(b"travels.obj", b"other.obj"))
        new.writestr("meshes/other.obj", old.read("meshes/travels.obj"))
    answer = client.post("/shots/upload", files={"file": ("x.zip", renamed.getvalue())})
    assert answer.status_code == 303
    taken = document(client, answer.headers["location"].split("/")[-1])
    assert taken["set"][-1]["shape"]["file"] == "other-2.obj"  # a mesh of that name with other bytes was there
    client.post(f"{answer.headers['location']}/delete")
    answer = client.post("/shots/upload", files={"file": ("x.shot.json", json.dumps(document(client, shot)).encode())})
    assert answer.status_code == 303
    client.post(f"{answer.headers['location']}/delete")


def test_a_run_is_followed_frame_by_frame(client, shot):
    edit(client, shot, "finish", "last", "20")
    started = client.post(f"/shots/{shot}/runs")
    assert started.status_code == 201
    run = started.json()["run"]["id"]
    assert client.post(f"/shots/{shot}/runs").status_code in (201, 409)
    heard = []
    with client.stream("GET", f"/runs/{run}/feed") as feed:
        for line in feed.iter_lines():
            if line.startswith("data: "):
                heard.append(json.loads(line[6:]))
    assert [h["frame"] for h in heard if "frame" in h] == list(range(1, 21))
    assert heard[-1]["ended"] == "finished"
    assert ended(client, run)["run"]["landed"] == 20
    assert client.get(f"/runs/{run}/picture.png").content[:4] == b"\x89PNG"


def test_a_cancelled_run_goes_on_and_an_identical_one_is_found(client, server, shot):
    edit(client, shot, "finish", "last", "400")
    run = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    with client.stream("GET", f"/runs/{run}/feed") as feed:
        for line in feed.iter_lines():
            if '"frame": 3' in line:
                assert client.post(f"/runs/{run}/cancel").status_code == 204
            if "ended" in line:
                break
    told = ended(client, run)
    assert told["run"]["state"] == "cancelled"
    assert 3 <= len(told["frames"]) < 400
    assert client.post(f"/runs/{run}/resume").json()["run"]["id"] == run
    told = ended(client, run)
    assert told["run"]["state"] == "finished"
    assert [f["frame"] for f in told["frames"]] == list(range(1, 401))
    assert client.post(f"/runs/{run}/resume").status_code == 409

    edit(client, shot, "mouth", "name", "old mouth", revision=2)  # a name changes no number
    again = client.post(f"/shots/{shot}/runs").json()
    assert again["run"]["id"] == run
    assert "shown, not repeated" in again["notes"][0]
    edit(client, shot, "fountain", "seed", "5", revision=3)
    other = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    assert other != run
    client.post(f"/runs/{other}/cancel")
    ended(client, other)


def test_runs_are_listed_pinned_compared_and_deleted(client, server, shot):
    edit(client, shot, "finish", "last", "8")
    numbers = []
    for revision, speed in ((2, "9"), (3, "10")):
        edit(client, shot, "fountain", "speed", speed, revision=revision)
        numbers.append(client.post(f"/shots/{shot}/runs").json()["run"]["id"])
        ended(client, numbers[-1])
    page = client.get(f"/shots/{shot}/runs").text
    assert f"Since run {numbers[0]}" in page
    assert "at 10 m/s give or take" in page
    assert "particles 0." in page  # how long they took
    listed = client.get(f"/shots/{shot}/runs.json").json()
    assert [r["id"] for r in listed] == numbers[::-1]
    folder = server.store / "runs" / f"{numbers[0]:06d}"
    assert listed[1]["bytes"] == sum(p.stat().st_size for p in folder.rglob("*") if p.is_file()) > 1000
    assert f'"id": {numbers[0]}, ' in client.get(f"/shots/{shot}?run={numbers[0]}").text
    assert client.get(f"/shots/{shot}?run=1").status_code == 404  # another shot's

    client.post(f"/runs/{numbers[0]}/pin", data={"pinned": "true"})
    refused = client.post(f"/runs/{numbers[0]}/delete")
    assert refused.status_code == 409
    assert "pinned" in refused.json()["detail"]
    client.post(f"/runs/{numbers[0]}/pin", data={"pinned": "false"})
    assert client.post(f"/runs/{numbers[0]}/delete").status_code == 303
    assert client.get(f"/runs/{numbers[0]}.json").status_code == 404
    assert numbers[0] in client.get("/disk.json").json()["bin"]["runs"]
    assert f"Run {numbers[0]} of New fountain" in client.get("/disk").text
    assert client.post(f"/bin/runs/{numbers[0]}/back").status_code == 303
    assert client.get(f"/runs/{numbers[0]}.json").status_code == 200
    client.post(f"/runs/{numbers[0]}/delete")
    assert folder.exists()
    assert client.post("/bin/empty").status_code == 303
    assert not folder.exists()
    assert client.post(f"/bin/runs/{numbers[0]}/back").status_code == 404


def test_a_limit_lets_the_oldest_unpinned_runs_go_and_says_so(client, server, shot):
    edit(client, shot, "finish", "last", "8")
    numbers = []
    for revision, speed in enumerate(("9", "10", "11"), 2):
        edit(client, shot, "fountain", "speed", speed, revision=revision)
        numbers.append(client.post(f"/shots/{shot}/runs").json()["run"]["id"])
        ended(client, numbers[-1])
    for run in (1, numbers[0]):  # the demo's run is for other tests
        client.post(f"/runs/{run}/pin", data={"pinned": "true"})
    client.post("/bin/empty")
    told = client.get("/disk.json").json()
    mine = next(s for s in told["shots"] if s["shot"] == shot)
    assert sorted(mine["runs"]) == numbers
    refused = client.post("/disk/limit", data={"limit": "-3"})
    assert refused.status_code == 422
    assert "Accepted: a number of GB above 0" in refused.text
    client.post("/disk/limit", data={"limit": f"{(told['bytes'] - 1) / 2**30:.12f}"})
    after = client.get("/disk.json").json()
    assert next(s for s in after["shots"] if s["shot"] == shot)["runs"] == [numbers[2], numbers[0]]
    assert after["notices"][0].startswith(f"Run {numbers[1]} of New fountain (")
    assert "was removed to keep within the limit" in client.get("/disk").text
    assert not (server.store / "runs" / f"{numbers[1]:06d}").exists()
    client.post("/disk/limit", data={"limit": ""})
    assert client.get("/disk.json").json()["limit"] is None
    for run in (1, numbers[0]):
        client.post(f"/runs/{run}/pin", data={"pinned": "false"})


def test_frames_that_an_edit_cannot_have_changed_are_kept(client, shot):
    edit(client, shot, "finish", "last", "40")
    first = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    ended(client, first)
    edit(client, shot, "finish", "last", "60", revision=2)
    started = client.post(f"/shots/{shot}/runs").json()
    assert f"Kept frames 1 to 40 of run {first}" in started["notes"][0]
    told = ended(client, started["run"]["id"])
    assert [f["frame"] for f in told["frames"]] == list(range(1, 61))
    client.post(f"/runs/{first}/delete")  # what was taken over outlives it
    assert client.get(f"/runs/{started['run']['id']}/frames/12.bin").status_code == 200


def test_an_estimate_comes_from_the_runs_before(client, shot):
    told = client.get(f"/shots/{shot}/estimate.json").json()
    assert told["from_runs"] == 0
    edit(client, shot, "finish", "last", "30")
    run = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    ended(client, run)
    told = client.get(f"/shots/{shot}/estimate.json").json()
    assert told["from_runs"] == 1
    took = client.get(f"/shots/{shot}/runs.json").json()[0]
    assert told["seconds"][0] < took["seconds"] < told["seconds"][1]
    assert told["bytes"] == pytest.approx(took["bytes"], rel=0.15)


def test_a_shot_that_cannot_be_built_is_told_before_it_runs(client, shot):
    edit(client, shot, "fountain", "part", "volume")
    answer = client.post(f"/shots/{shot}/runs")
    assert answer.status_code == 422
    assert "no volume to fill" in answer.json()["detail"]


def test_matter_that_has_not_come_yet_is_sent_beside_much_that_is_thinned(tmp_path):
    froth = {"kind": "froth", "id": "froth"}
    execute(build(load(wet([body_of(0.4, 0.8)], 2, rows=[froth])), beside(tmp_path), "rough"), tmp_path)
    body = bytes(packed_frame(FrameStore(tmp_path), 1, 100))
    told = json.loads(body[4 : 4 + struct.unpack("<I", body[:4])[0]])
    counts = {group["name"]: group["arrays"][0]["count"] for group in told["groups"]}
    assert counts["froth"] == 0
    assert 50 < counts["liquid"] <= 100


@pytest.mark.parametrize("most", [None, 3000])
def test_frames_come_as_binary_that_holds_what_is_kept(client, server, demo_run, most):
    body = client.get(f"/runs/{demo_run}/frames/12.bin", params={} if most is None else {"most": most}).content
    length = struct.unpack("<I", body[:4])[0]
    head = json.loads(body[4 : 4 + length])
    kept = FrameStore(server.store / "runs" / f"{demo_run:06d}").particles(12)
    (group,) = head["groups"]
    every = group.get("every", 1)
    assert (group["name"], group["kind"], every) == ("particles", "points", 1 if most is None else 4)
    for field in group["arrays"]:
        start = 4 + length + field["offset"]
        assert start % 4 == 0
        assert field["count"] == len(kept["id"][::every])
        array = np.frombuffer(body, np.dtype(field["type"]), field["count"] * field["width"], start)
        assert (array == kept[field["name"]].astype(array.dtype)[::every].ravel()).all()


def test_a_because_names_the_cue_the_frame_and_the_value(client, server, demo_run):
    store = FrameStore(server.store / "runs" / f"{demo_run:06d}")
    e = store.events(12)
    text = client.get(f"/runs/{demo_run}/because", params={"particle": int(e.particle[0]), "frame": 14}).text
    assert "frame 12" in text
    assert "gets slower than 5 m/s, it enters falling. It had 4." in text
    assert "Left the surface of vent dome in state flight." in text
    answer = client.get(f"/runs/{demo_run}/because", params={"particle": 10**7, "frame": 14})
    assert answer.status_code == 404
    assert "no particle" in answer.json()["detail"]


@pytest.mark.parametrize("eye", ["[1, 2]", "[1, 2, Infinity]", "[1, 2, 1e300]", "[]"])
def test_a_camera_nowhere_is_refused(client, shot, eye):
    headers = {"content-type": "application/json"}
    answer = client.post(f"/shots/{shot}/camera", content=f'{{"eye": {eye}, "aim": [0, 0, 0]}}', headers=headers)
    assert answer.status_code == 422
    assert "three numbers in metres" in answer.json()["detail"]


def test_a_damaged_frame_is_told_and_the_run_made_anew(client, server, shot):
    edit(client, shot, "finish", "last", 8)
    run = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    ended(client, run)
    path = FrameStore(server.store / "runs" / f"{run:06d}").path(5)
    data = bytearray(path.read_bytes())
    data[len(data) // 3 : 2 * len(data) // 3] = b"\xff" * (2 * len(data) // 3 - len(data) // 3)
    path.write_bytes(data)
    for asked in (
        "frames/5.bin",
        "because?particle=0&frame=5",
        "because?particle=0&frame=8",
        "why-not?particle=0&cue=x&frame=5",
    ):
        answer = client.get(f"/runs/{run}/{asked}")
        assert answer.status_code in (200, 404, 410), asked  # what it reads may lie beside the damage
    assert "Frame 5 is kept but damaged. Run the shot again" in client.get(f"/runs/{run}/frames/5.bin").json()["detail"]
    again = client.post(f"/shots/{shot}/runs").json()["run"]["id"]
    assert again != run  # not found, but made
    ended(client, again)
    assert client.get(f"/runs/{again}/frames/5.bin").status_code == 200


def handed(client, run, **how):
    """A handover that was asked for on the page, once it is over."""
    answer = client.post(f"/runs/{run}/handover", data=how)
    assert answer.status_code == 303, answer.text
    name = answer.headers["location"].split("#")[1]
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until:
        told = client.get(f"/handovers/{name}.json").json()
        if not told["going"]:
            return told
        time.sleep(0.1)
    raise AssertionError(told)


def test_a_handover_is_cancelled_and_removed(client, demo_run):
    answer = client.post(f"/runs/{demo_run}/handover", data={"format": "obj"})
    name = answer.headers["location"].split("#")[1]
    while client.get(f"/handovers/{name}.json").json()["percent"] == 0:
        time.sleep(0.05)
    assert "progress" in client.get(f"/handovers/{name}").text
    client.post(f"/handovers/{name}/cancel")
    while (told := client.get(f"/handovers/{name}.json").json())["going"]:
        time.sleep(0.05)
    assert told["state"] == "cancelled"
    assert 0 < told["count"] < 120
    client.post(f"/handovers/{name}/remove")
    assert client.get(f"/handovers/{name}.json").status_code == 404
    assert not Path(told["folder"]).exists()


def test_a_run_is_handed_over(client, demo_run):
    def files(**how):
        told = handed(client, demo_run, **how)
        assert told["state"] == "finished", told
        answer = client.get(f"/handovers/{told['name']}/files.zip")
        file = zipfile.ZipFile(io.BytesIO(answer.content))
        assert sorted(file.namelist()) == sorted(p.name for p in Path(told["folder"]).iterdir())
        assert file.testzip() is None
        return file

    ply = files(format="ply", first=30, last=60, every=10)
    assert ply.namelist() == [f"ember-burst.{f:04d}.ply" for f in (30, 40, 50, 60)]
    read = PlyData.read(io.BytesIO(ply.read("ember-burst.0030.ply")))
    assert len(read["vertex"]) == 10_000
    assert "revision: 1" in read.comments
    assert files(format="usd", every=60, unit="cm", up="z").namelist() == ["ember-burst.usdc"]
    assert len(files(format="csv").read("ember-burst.gauges.csv").decode().splitlines()) == 121
    form = client.get(f"/runs/{demo_run}/handover").text
    assert "every frame" in form
    assert 'value="csv" checked' in form  # as it was handed over last
    for how, said in (({"format": "doc"}, "Accepted: ply"), ({"format": "ply", "first": 999}, "Kept: 1 to 120"),
                      ({"format": "ply", "unit": "inch"}, "unit"), ({"format": "ply", "pattern": "/etc/{frame}"}, "no pattern"),
                      ({"format": "mp4", "width": 641}, "even numbers"), ({"format": "ply", "up": "x"}, "y, z")):  # fmt: skip
        answer = client.post(f"/runs/{demo_run}/handover", data=how)
        assert answer.status_code == 422
        assert said in answer.text


def test_shots_are_duplicated_renamed_and_deleted(client, shot):
    client.post(f"/shots/{shot}/duplicate")
    copy = client.get("/shots.json").json()[0]
    assert copy["name"] == "New fountain copy"
    client.post(f"/shots/{copy['id']}/rename", data={"name": "Night fountain"})
    assert document(client, copy["id"])["name"] == "Night fountain"
    client.post(f"/shots/{copy['id']}/delete")
    assert client.get(f"/shots/{copy['id']}.json").status_code == 404


@pytest.mark.parametrize(("path", "status", "said"), [
    ("/shots/99999", 404, "no such shot"), ("/runs/99999.json", 404, "no such run"), ("/shots/x", 422, "integer"),
    ("/runs/1/frames/9999.bin", 404, "not kept"), ("/runs/1/because?particle=x&frame=1", 422, "integer"),
    ("/nowhere", 404, "Not Found"), ("/static/../cli.py", 404, ""), ("/runs/99999/handover", 404, "no such run"),
])  # fmt: skip
def test_what_is_not_there_is_a_sentence(client, path, status, said):
    for accept in ("application/json", "text/html"):
        answer = client.get(path, headers={"accept": accept})
        assert answer.status_code == status
        assert said in answer.text
        assert "Traceback" not in answer.text


def test_a_locked_database_is_told_and_nothing_is_changed(client, server, shot):
    lock = sqlite3.connect(server.store / "hotgravel.sqlite", isolation_level=None)
    lock.execute("BEGIN IMMEDIATE")
    try:
        answer = edit(client, shot, "fountain", "speed", "9")
    finally:
        lock.execute("ROLLBACK")
        lock.close()
    assert answer.status_code == 503
    assert "database is locked" in answer.json()["detail"]
    assert document(client, shot)["supply"][0]["speed"] == 8
    assert edit(client, shot, "fountain", "speed", "9").status_code == 200


def test_only_its_own_pages_may_ask(client, shot):
    assert client.get("/", headers={"host": "evil.example"}).status_code == 421
    refused = client.post(f"/shots/{shot}/delete", headers={"origin": "http://evil.example"})
    assert refused.status_code == 403
    assert client.get(f"/shots/{shot}.json").status_code == 200
    policy = client.get("/").headers["content-security-policy"]
    assert "script-src 'self';" in policy
    assert "unsafe" not in policy


def test_edits_of_one_revision_at_the_same_moment_make_one_and_refuse_the_others(client):
    number = int(client.post("/shots", data={"starter": "cinder fountain"}).headers["location"].split("/")[-1])

    def edit(speed):
        data = {"path": "speed", "value": str(speed), "revision": 1}
        return client.post(f"/shots/{number}/rows/fountain/set", data=data).status_code

    with ThreadPoolExecutor(8) as pool:
        told = list(pool.map(edit, range(1, 17)))
    assert sorted(told) == [200] + [409] * 15
    client.post(f"/shots/{number}/delete")


def test_the_first_start_runs_two_demo_shots_and_pictures_stand_for_the_others(tmp_path, monkeypatch):
    studio, ran = Studio(tmp_path), []
    studio.database.upgrade()
    monkeypatch.setattr(studio, "run", ran.append)
    studio._add_demo(demo_names())
    assert [demo_names()[shot - 1] for shot in ran] == ["cairn", "ember-burst"]
    app = TestClient(create_app(studio), base_url="http://127.0.0.1")  # its workers are not started
    shown = app.get("/").text
    assert shown.count("made beforehand") == len(demo_names())  # as none of them has run here
    pictures = re.findall(r'src="(/demo/[^"]+)"', shown)
    assert all(app.get(at).content[:2] == b"\xff\xd8" for at in pictures)  # JPEG
    assert app.get("/demo/nothing.jpg").status_code == 404
    assert '"run_now": true' in app.get("/shots/2").text


def test_a_run_asked_for_eight_times_at_once_begins_once(client, shot):
    with ThreadPoolExecutor(8) as pool:
        told = list(pool.map(lambda _: client.post(f"/shots/{shot}/runs").status_code, range(8)))
    assert sorted(told) == [201] + [409] * 7
    assert len(client.get(f"/shots/{shot}/runs.json").json()) == 1
    client.post(f"/runs/{client.get(f'/shots/{shot}/now.json').json()['run']}/cancel")


def test_what_an_edit_that_came_too_late_had_typed_can_be_put_in_its_place(client, shot):
    edit(client, shot, "fountain", "speed", "9")
    late = edit(client, shot, "fountain", "speed", "12", revision=1).text
    assert "9 m/s" in late
    assert "Put mine: 12" in late
    assert client.get(f"/shots/{shot}/now.json").json()["revision"] == 2
    assert edit(client, shot, "fountain", "speed", "12", revision=2).status_code == 200


def test_an_edit_answers_with_the_rows_that_it_changed_alone(client, shot):
    asked = {"hx-request": "true"}
    fields = {"path": "name", "value": "glow", "revision": 1}
    told = client.post(f"/shots/{shot}/rows/loose/set", data=fields, headers=asked)
    rows = re.findall(r'id="row-([a-z-]+)"', told.text)
    assert rows == ["loose", "landing", "fountain", "gravity"]  # the state, and the rows that name it or could
    assert told.headers["hx-reswap"] == "none"
    moved = client.post(f"/shots/{shot}/rows/landing/move", data={"by": -1, "revision": 2}, headers=asked)
    assert "row-finish" in moved.text  # the order has changed, so it is the whole page
    kept = client.post(f"/shots/{shot}/rows/mouth/remove", data={"revision": 3}, headers=asked)
    assert 'data-show-row="fountain"' in kept.text


def test_a_run_that_would_not_fit_is_not_begun(client, shot):
    edit(client, shot, "fountain", "emit.kind", "burst")
    edit(client, shot, "fountain", "emit.count", "5000000", revision=2)
    edit(client, shot, "finish", "last", "90000", revision=3)
    answer = client.post(f"/shots/{shot}/runs")
    assert answer.status_code == 507
    assert re.search(r"would take about [\d.]+ TB of disk, and [\d.]+ (GB|MB) are there", answer.json()["detail"])
    offers = {offer["path"]: offer["value"] for offer in answer.json()["offers"]}
    needs, there = (10 ** {"GB": 9, "TB": 12, "MB": 6}[unit] * float(number)
                    for number, unit in re.findall(r"([\d.]+) ([TGM]B)", answer.json()["detail"]))  # fmt: skip
    assert 1.0 < int(offers["every"]) * there / needs < 1.1
    assert edit(client, shot, "finish", "every", offers["every"], revision=4).status_code == 200
    assert edit(client, shot, "finish", "last", offers["last"], revision=5).status_code == 200
    assert client.get(f"/shots/{shot}/runs.json").json() == []


def test_that_a_run_is_over_is_written_once_there_is_room(tmp_path, monkeypatch):
    studio, tries = Studio(tmp_path), []
    studio.database.upgrade()
    monkeypatch.setattr("hotgravel.web.studio.RETRY", 0.01)

    def full(session, run_id, state, message):
        tries.append(state)
        if len(tries) < 3:
            raise OperationalError("insert", {}, Exception("database or disk is full"))

    monkeypatch.setattr("hotgravel.store.runs.ended", full)
    monkeypatch.setattr(studio, "_catch_up", lambda session, run_id: None)
    studio._ended(7, "failed", "full")
    assert tries == ["failed"] * 3


def test_a_worker_that_was_ended_for_its_memory_names_the_row(tmp_path):
    studio = Studio(tmp_path)
    studio.database.upgrade()
    with studio.database.session() as session:
        shot = load(demo_path("ember-burst"))
        made = runs.create(session, shots.create(session, shot, "made").id, 1, shot, "print").id
    studio._ended(made, "failed", OVER)
    with studio.database.session() as session:
        told = runs.record(session, made).message
    assert told.startswith(OVER)
    assert any(told.endswith(f"Most come from {shot.names()[source.id]}.") for source in shot.supply)


def test_who_waits_for_a_cutting_that_is_asked_for_again_goes_on_waiting(tmp_path, monkeypatch):
    studio = Studio(tmp_path)
    told = iter([Standing("cut", GOING), Standing("cut", DONE)])  # and no note of it in between
    monkeypatch.setattr(studio, "_being_cut", lambda shot: next(told))
    studio.world(load({"format": "hotgravel.shot", "version": 1, "name": "cut"}))
    assert list(told) == []


def test_a_cutting_is_asked_for_by_its_name_alone(client, shot):
    for what in ("cancel", "again"):
        there = f"/shots/{shot}/rows/fountain/pieces/{what}"
        assert client.post(f"{there}?name=../../{'a' * 20}").status_code == 422
        assert client.post(f"{there}?name={'a' * 20}").status_code == 200
    assert client.get(f"/shots/{shot}/rows/nothing/pieces").status_code == 404


def test_each_part_of_a_run_has_a_colour_of_its_own():
    told = (Path(runs_page.__file__).parent / "static" / "css" / "shots.css").read_text()
    colours = dict(re.findall(r"\.part-(\d+) \{ fill: (#\w{6}); \}", told))
    used = [colours[str(place)] for place, _ in enumerate(runs_page.PARTS, 1)]
    assert len(set(used)) == len(runs_page.PARTS)
