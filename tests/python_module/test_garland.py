"""The Python module: against NumPy, against files it wrote, and every example of docs/python.md."""

import json
import os
import pathlib
import re
import signal
import subprocess
import sys
import threading
import time

import numpy as np
import pytest

import garland

CLI = os.environ["GARLAND_CLI"]
DOCS = pathlib.Path(os.environ["GARLAND_DOCS"])


@pytest.fixture(scope="session")
def demo(tmp_path_factory):
    folder = tmp_path_factory.mktemp("demo")
    subprocess.run([CLI, "demo", str(folder), "--only", "festival", "--quiet"], check=True, stdout=subprocess.DEVNULL)
    return folder


@pytest.fixture
def shot(demo):
    return garland.open(str(demo / "festival.garland"))


def raft(frames=12, speed=0.5):
    """A square that rises evenly."""
    square = np.array([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1]], dtype=np.float32)
    points = np.repeat(square[None], frames, axis=0)
    points[:, :, 1] = (speed * np.arange(frames))[:, None]
    return points


def test_times_are_those_of_the_command_line(shot, demo):
    frames = [1, 60, 100.5, 240]
    times = shot.times(frames)
    assert times.shape == (4, shot.copies) and times.dtype == np.float64
    table = demo / "t.csv"
    subprocess.run([CLI, "table", str(demo / "festival.garland"), "--frames", "1:3", "--out", str(table), "--replace",
                    "--quiet"], check=True, stdout=subprocess.DEVNULL)
    rows = np.genfromtxt(table, delimiter=",", names=True, dtype=None, encoding="utf-8")
    assert np.array_equal(shot.times([1, 2, 3]).ravel(), rows["source_frame"])
    state = shot.state(2)
    assert np.allclose(state["speeds"], rows["speed"][shot.copies:2 * shot.copies], rtol=1e-6)
    assert state["shown"].dtype == np.bool_ and state["shown"].all()
    assert np.allclose(np.linalg.norm(state["orientations"], axis=1), 1)


def test_what_a_file_offers_is_chosen(tmp_path):
    (tmp_path / "lamp.usda").write_text(
        """#usda 1.0
def Xform "lamp" (
    variants = { string paper = "short" }
    prepend variantSets = "paper"
)
{
    variantSet "paper" = {
        "short" { def Mesh "body" { int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)] } }
        "long" { def Mesh "body" { int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 7, 0)] } }
    }
}
""")
    shot = garland.new("lamps")
    short = shot.add_source(str(tmp_path / "lamp.usda"))
    long = shot.add_source(str(tmp_path / "lamp.usda"), "tall", {"paper": "long"})
    assert shot.source_at(short, 0)["points"][:, 1].max() == np.float32(0.01)  # USD counts in centimetres
    assert shot.source_at(long, 0)["points"][:, 1].max() == np.float32(0.07)
    with pytest.raises(garland.Error, match='paper of lamp cannot be "wide"'):
        shot.add_source(str(tmp_path / "lamp.usda"), "wide", {"paper": "wide"})
    shot.save(str(tmp_path / "lamps.garland"))
    assert garland.open(str(tmp_path / "lamps.garland")).source_at(long, 0)["points"][:, 1].max() == np.float32(0.07)


def test_arrays_are_not_copied(shot):
    times = shot.times([1, 2])
    assert not times.flags.owndata and not times.flags.writeable
    pose = shot.source_at(1, 5)
    assert not pose["points"].flags.owndata
    again = shot.source_at(1, 5)  # the very same numbers, from the cache of poses
    assert pose["points"].__array_interface__["data"] == again["points"].__array_interface__["data"]
    first = pose["points"].copy()
    del shot, again
    assert np.array_equal(first, pose["points"])  # they live on


def test_a_source_of_arrays_is_retimed(tmp_path):
    shot = garland.new("canal", rate="24", range=(1, 30))
    points = raft()
    source = shot.add_frames("raft", points, [[0, 3, 2, 1]])
    data = shot.data
    data["timings"][0]["keys"] = [{"at": 1, "source": 0}, {"at": 23, "source": 11}]  # half the speed
    data["arrangements"][0].update({"kind": "grid", "columns": 3, "rows": 2, "spacing": 4})
    shot.data = data
    assert shot.copies == 6
    assert np.allclose(shot.times([1, 12, 23])[:, 0], [0, 5.5, 11])
    pose = shot.copy_at(4, 12)
    assert np.allclose(pose["points"][:, 1], 0.5 * 5.5, atol=1e-6)
    centre = shot.state(12)["positions"][3]
    assert np.allclose(pose["points"].mean(axis=0)[[0, 2]], centre[[0, 2]], atol=1e-5)
    assert list(pose["face_corners"]) == [0, 3, 2, 1]
    with pytest.raises(garland.Error) as error:
        shot.save(str(tmp_path / "p.garland"))
    assert error.value.code == "unsupported" and "one-source" in error.value.advice
    done = shot.hand_off("one-source", str(tmp_path), name="raft", kind="usdc", source=source)
    assert os.path.getsize(done["files"][0]) == done["bytes"] and garland.verify(done["manifest"]) == 1


def test_one_array_of_all_copies(tmp_path, shot):
    turned = shot.hand_off("posed-copies", str(tmp_path / "cm"), kind="npy", frames=(1, 5), up="z", unit="cm")
    with pytest.raises(garland.Error):
        shot.hand_off("posed-copies", str(tmp_path / "cm"), kind="npy", frames=(1, 5), up="x")
    done = shot.hand_off("posed-copies", str(tmp_path), kind="npy", frames=(1, 5))
    metres, cm = (np.load(next(f for f in d["files"] if f.endswith(".npy"))) for d in (done, turned))
    assert np.allclose(cm, np.stack([metres[..., 0], -metres[..., 2], metres[..., 1]], -1) * 100, atol=1e-3)
    array = np.load(done["files"][0])
    assert array.shape[0] == 5 and array.dtype == np.float32
    for frame in (1, 5):
        points = np.concatenate([shot.copy_at(c + 1, frame)["points"] for c in range(shot.copies)])
        assert np.array_equal(array[frame - 1], points)


def test_moments_inside_the_shutter(tmp_path, shot):
    done = shot.hand_off("posed-copies", str(tmp_path), kind="ply", frames=(3, 4), name="fest_###", shutter_samples=3, shutter=90)
    names = sorted(pathlib.Path(f).name for f in done["files"])
    assert names == ["fest_002.875.ply", "fest_003.125.ply", "fest_003.875.ply", "fest_003.ply", "fest_004.125.ply", "fest_004.ply"]
    with pytest.raises(garland.Error) as refused:
        shot.hand_off("posed-copies", str(tmp_path), kind="npy", frames=(3, 4), shutter_samples=3)
    assert refused.value.unchanged and refused.value.advice
    curves = shot.hand_off("curves", str(tmp_path), name="timing")
    assert len(curves["files"]) >= 1 and garland.verify(curves["manifest"])


NODE = pathlib.Path(os.environ.get("GARLAND_NODE_CHECKS", "none"))


@pytest.mark.skipif(not (NODE / "node_modules" / "three-usdz-loader").exists(), reason="the reference USD library is not here")
@pytest.mark.parametrize("output", ["references", "posed-copies", "one-source"])
def test_a_cache_of_working_size_by_others(tmp_path, output):
    """Written by meshio and NumPy, retimed, and read by the reference USD library; NumPy says where points must be."""
    meshio = pytest.importorskip("meshio")
    across, along, frames = 200, 150, 40
    x, z = np.meshgrid(np.linspace(-2, 2, across), np.linspace(-1, 1, along))
    cloth = np.empty((frames, across * along, 3), dtype=np.float32)
    for f in range(frames):
        cloth[f] = np.stack([x, 0.3 * np.sin(3 * x + 0.4 * f) * np.cos(2 * z - 0.15 * f), z], axis=-1).reshape(-1, 3)
    corner = (np.arange(along - 1)[:, None] * across + np.arange(across - 1)[None, :]).reshape(-1)
    quads = np.stack([corner, corner + 1, corner + across + 1, corner + across], axis=1)
    meshio.write(tmp_path / "cloth.ply", meshio.Mesh(cloth[0], [("quad", quads)]), binary=True)
    np.save(tmp_path / "cloth.npy", cloth)

    shot = garland.new("banners", rate="24", range=(1, 60))
    source = shot.add_source(str(tmp_path / "cloth.ply"))
    data = shot.data
    data["timings"][0]["keys"] = [{"at": 1, "source": 0}, {"at": 40, "source": 13}, {"at": 60, "source": 38}]
    data["arrangements"][0].update({"count": 3, "spacing": 5})
    shot.data = data
    done = shot.hand_off(output, str(tmp_path / "out"), kind="usdc", source=source)
    times = [1, 24, 55] if output == "posed-copies" else [1, 24.5, 40, 55.25]
    answer = json.loads(subprocess.run(
        ["node", "usd_points.cjs", "points", done["files"][0], ",".join(map(str, times)), *done["files"][1:]],
        cwd=NODE, check=True, capture_output=True, text=True).stdout)
    copies = 1 if output == "one-source" else 3
    for time_code, shown in zip(times, answer):
        s = np.interp(time_code, [1, 40, 60], [0, 13, 38])
        if output == "one-source":  # samples at whole output frames, straight between them
            low, w = int(time_code), time_code - int(time_code)
            at = np.interp([low, low + 1], [1, 40, 60], [0, 13, 38])
            poses = [cloth[int(a)] * (1 - a % 1) + cloth[min(int(a) + 1, frames - 1)] * (a % 1) for a in at]
            pose = poses[0] * (1 - w) + poses[1] * w
        else:
            pose = cloth[int(s)] * (1 - s % 1) + cloth[int(s) + 1] * (s % 1)
        assert len(shown["meshes"]) == copies
        places = shot.state(time_code)["positions"] if copies > 1 else np.zeros((1, 3))
        for place, mesh in zip(places, sorted(shown["meshes"], key=lambda m: m["path"])):
            assert np.abs(np.array(mesh["points"]) - (pose + place)).max() < 1e-5


def test_wrong_arrays_are_refused():
    shot = garland.new()
    for points, faces in [(np.zeros((2, 4)), []), (np.zeros((0, 4, 3)), []), (np.zeros((2, 4, 3)), [[0, 1, 4]]),
                          (np.zeros((2, 4, 3)), [[0, 1]]), (np.full((2, 4, 3), np.nan), [])]:
        with pytest.raises(garland.Error):
            shot.add_frames("x", points, faces)
    assert shot.copies == 0


def test_errors_have_four_parts(tmp_path, shot):
    with pytest.raises(garland.Error) as error:
        garland.open(str(tmp_path / "none.garland"))
    assert error.value.code == "not_found" and error.value.path.endswith("none.garland")
    before = shot.data
    broken = shot.data
    broken["arrangements"][0]["timing"] = 999
    with pytest.raises(garland.Error):
        shot.data = broken
    assert shot.data == before  # nothing has changed
    shot.hand_off("shared-poses", str(tmp_path), frames=(1, 4))
    with pytest.raises(garland.Error) as error:
        shot.hand_off("shared-poses", str(tmp_path), frames=(1, 4))
    assert error.value.code == "exists" and error.value.unchanged and error.value.advice
    with pytest.raises(garland.Error) as error:
        shot.hand_off("lanterns", str(tmp_path))
    assert "shared-poses" in error.value.advice


def test_progress_cancels_and_other_threads_run(tmp_path, shot):
    shares, ticks, stop = [], [], threading.Event()

    def count():
        while not stop.is_set():
            ticks.append(time.perf_counter())
            time.sleep(0.002)

    other = threading.Thread(target=count)
    other.start()

    def report(share, what):
        shares.append(share)
        return share < 0.5

    with pytest.raises(garland.Error) as error:
        shot.hand_off("posed-copies", str(tmp_path), frames=(1, 60), progress=report)
    stop.set()
    other.join()
    assert error.value.code == "cancelled"
    assert len(shares) > 3 and shares == sorted(shares)
    assert len(ticks) > 20  # the interpreter's lock was let go
    kept = len(list(tmp_path.glob("*.ply")))
    assert 0 < kept < 60
    done = shot.hand_off("posed-copies", str(tmp_path), frames=(1, 60), existing="resume")
    assert done["kept"] == kept and garland.verify(done["manifest"]) == 60
    def late(share, what):
        if share == 1:
            time.sleep(0.05)
            raise KeyError("at the very end")

    try:  # too late to stop anything: it comes out all the same, or was not asked any more
        shot.plan("shared-poses", str(tmp_path), frames=(1, 4), progress=late)
    except KeyError:
        pass
    with pytest.raises(ZeroDivisionError):  # what a progress function raises comes out
        shot.plan("shared-poses", str(tmp_path), progress=lambda share, what: 1 / 0)


def test_ctrl_c(tmp_path, demo):
    script = f"""
import garland
shot = garland.open({str(demo / "festival.garland")!r})
print("ready", flush=True)
try:
    while True:
        shot.hand_off("posed-copies", {str(tmp_path)!r}, existing="replace")
except KeyboardInterrupt:
    print("stopped", flush=True)
"""
    run = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert run.stdout.readline() == "ready\n"
    while not list(tmp_path.glob("*.ply")):
        time.sleep(0.01)
    run.send_signal(signal.SIGINT)
    assert run.communicate(timeout=60)[0] == "stopped\n"
    assert not [f for f in os.listdir(tmp_path) if f.startswith(".garland")]


def examples():
    return re.findall(r"```python\n(.*?)```", (DOCS / "python.md").read_text(), re.S)


@pytest.mark.parametrize("number", range(5))
def test_the_examples_run(number, demo, tmp_path):
    assert len(examples()) == 5
    for file in demo.iterdir():
        if file.is_file():
            (tmp_path / file.name).symlink_to(file)
    (tmp_path / "short.garland").unlink(missing_ok=True)
    run = subprocess.run([sys.executable, "-c", examples()[number]], cwd=tmp_path, capture_output=True, text=True)
    assert run.returncode == 0, run.stderr
