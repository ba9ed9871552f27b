"""The command line is a contract: outputs, exit codes, sentences on stderr."""

import csv
import io
import json
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from unittest.mock import patch

import pytest

from hotgravel.cli import FORMATS, main
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import demo_path


def hotgravel(*words: str, ok: int = 0) -> subprocess.CompletedProcess[str]:
    """What a command prints, without a process of its own; a fault that is no sentence is raised."""
    out, err, code = io.StringIO(), io.StringIO(), 0
    with redirect_stdout(out), redirect_stderr(err), patch.object(sys, "argv", ["hotgravel", *words]):
        try:
            main()
        except SystemExit as end:
            code = int(end.code or 0)
    assert code == ok, err.getvalue()
    return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    folder = tmp_path_factory.mktemp("cli") / "run"
    words = ("run", "demo:ember-burst", "--frames", "1-6", "--quality", "fair", "--out", str(folder), "--json")
    done = subprocess.run([sys.executable, "-m", "hotgravel.cli", *words], capture_output=True, text=True, check=True)
    return folder, json.loads(done.stdout.strip().splitlines()[-1])


def test_run_ends_with_one_line_of_json(run):
    folder, told = run
    assert told["frames"] == [1, 2, 3, 4, 5, 6]
    assert told["gauges"]["matter"]["particles"]["count"] == 10_000
    assert told["gauges"]["steps"] >= 4
    assert told["seconds"]["particles"] > 0
    assert told["paths"]["frames"] == str(folder / "frames")


def test_gauges_and_events_are_printed_as_csv(run):
    folder, told = run
    rows = list(csv.DictReader(io.StringIO(hotgravel("gauges", str(folder), "--csv").stdout)))
    assert len(rows) == 6
    assert float(rows[-1]["mean_speed [m/s]"]) == told["gauges"]["matter"]["particles"]["mean_speed"]
    events = list(csv.DictReader(io.StringIO(hotgravel("events", str(folder), "--csv").stdout)))
    assert len(events) == sum(int(r["fired slow embers fall"]) for r in rows) > 0


def test_export_writes_files(run, tmp_path):
    assert tuple(WRITERS) == FORMATS  # each that the page offers
    folder, _ = run
    assert (
        "2 files"
        in hotgravel("export", str(folder), "--format", "ply", "--frames", "3-4", "--out", str(tmp_path)).stdout
    )
    assert sorted(p.name for p in tmp_path.iterdir()) == ["ember-burst.0003.ply", "ember-burst.0004.ply"]
    hotgravel("export", str(folder), "--format", "csv", "--out", str(tmp_path / "csv"))
    assert len((tmp_path / "csv" / "ember-burst.gauges.csv").read_text().splitlines()) == 7


@pytest.mark.parametrize(
    ("kind", "names"), [("usd", ["ember-burst.usdc"]), ("gltf", ["ember-burst.0001.glb", "ember-burst.0005.glb"])]
)
def test_export_takes_unit_axis_and_every_nth(run, tmp_path, kind, names):
    hotgravel(
        "export", str(run[0]), "--format", kind, "--every", "4", "--unit", "cm", "--up", "z", "--out", str(tmp_path)
    )
    assert sorted(p.name for p in tmp_path.iterdir()) == names


def test_check_explain_and_schema_print(tmp_path):
    assert "Nothing found." in hotgravel("check", "demo:ember-burst").stdout
    assert "it enters falling." in hotgravel("explain", "demo:ember-burst").stdout
    assert json.loads(hotgravel("schema").stdout)["title"] == "Shot"
    shot = load(demo_path("ember-burst")).dump()
    shot["finish"]["last"] = 10
    shot["supply"][0]["emit"]["frame"] = 50
    (tmp_path / "late.shot.json").write_text(json.dumps(shot))
    assert "outside frames 1 to 10" in hotgravel("check", str(tmp_path / "late.shot.json")).stdout


def test_a_fault_in_the_shot_is_a_sentence_and_exit_1(tmp_path):
    shot = load(demo_path("ember-burst")).dump()
    shot["supply"][0]["speed"] = -2
    (tmp_path / "bad.shot.json").write_text(json.dumps(shot))
    told = hotgravel("run", str(tmp_path / "bad.shot.json"), "--out", str(tmp_path / "out"), ok=1).stderr
    assert "Row 'burst', field 'speed': -2 m/s is too low" in told
    assert not (tmp_path / "out").exists()
    assert "no shot at" in hotgravel("explain", "nowhere.json", ok=1).stderr
    assert "ember-burst" in hotgravel("explain", "demo:nothing", ok=1).stderr
    assert "holds no run" in hotgravel("gauges", str(tmp_path), "--csv", ok=1).stderr


def test_a_run_takes_the_place_of_nothing_else(tmp_path):
    def told(*words: str) -> str:
        return hotgravel("run", "demo:ember-burst", "--frames", "1-2", *words, ok=1).stderr

    (tmp_path / "frames").mkdir()
    (tmp_path / "frames" / "holiday.txt").write_text("mine")
    assert "holds something other than a run" in told("--out", str(tmp_path))
    assert (tmp_path / "frames" / "holiday.txt").read_text() == "mine"
    (tmp_path / "shot.json").write_text('{"name": "Another"}')
    assert "holds a run of 'Another'" in told("--out", str(tmp_path))
    assert "is no folder" in told("--out", str(tmp_path / "shot.json"))
    assert "could not be written to /proc/self/run" in told("--out", "/proc/self/run")
    assert "is no file" in hotgravel("explain", "/dev/zero", ok=1).stderr


@pytest.mark.parametrize("words", [
    ["run", "demo:ember-burst", "--out", ""], ["serve", "--port", "99999"],
    ["run", "demo:ember-burst"], ["run", "demo:ember-burst", "--out", "x", "--quality", "superb"],
    ["run", "demo:ember-burst", "--out", "x", "--frames", "9-3"], ["run", "demo:ember-burst", "--out", "x", "--frames", "1-999"],
    ["dance"], ["export", "."], ["bench", "nothing"],
])  # fmt: skip
def test_wrong_usage_is_exit_2(words):
    assert hotgravel(*words, ok=2).stderr
