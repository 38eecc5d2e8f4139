"""The command line, run as a person runs it."""

import json
import subprocess
import sys
import zipfile

import numpy as np
import pytest

from pirouette.cli import frame_range, main, picture_size
from tests.files import read_png
from tests.scenes import DEMO, ROOT, document, figure, formula, keyed, step

SMALL = ["--size", "64x36", "--samples", "1"]


@pytest.fixture
def scene_file(tmp_path):
    def write(*figures, **more):
        path = tmp_path / "scene.json"
        path.write_text(json.dumps(document(*figures, **more)))
        return str(path)

    return write


def test_frames_are_rendered_into_a_folder(scene_file, tmp_path):
    out = tmp_path / "frames"
    assert main(["render", scene_file(figure(step("box"))), "--frames", "2-8x3", *SMALL, "--out", str(out)]) == 0
    assert sorted(path.name for path in out.iterdir()) == ["frame_0002.png", "frame_0005.png", "frame_0008.png"]
    assert read_png(out / "frame_0002.png").shape == (36, 64, 4)


@pytest.mark.parametrize("suffix", ["mp4", "webm", "mov", "gif", "apng", "zip", "png", "exr"])
def test_each_kind_of_file_is_written(scene_file, tmp_path, suffix):
    out = tmp_path / f"out.{suffix}"
    frames = "0" if suffix in ("png", "exr") else "0-2"
    assert main(["render", scene_file(figure(step("box"))), "--frames", frames, *SMALL, "--out", str(out)]) == 0
    assert out.stat().st_size > 100
    if suffix == "zip":
        assert zipfile.ZipFile(out).namelist() == ["frame_0000.png", "frame_0001.png", "frame_0002.png"]


def test_an_unknown_kind_of_file_is_refused(scene_file, tmp_path, capsys):
    assert main(["render", scene_file(), *SMALL, "--out", str(tmp_path / "a.bmp")]) == 2
    assert "allowed .mp4, .webm, .mov, .gif, .apng, .png, .exr, .zip or a folder" in capsys.readouterr().err


WRONG = [
    ({"figures": [figure(step("wobble"))]}, "'wobble' is not a kind"),
    ({"figures": [figure(step("twist", angle="lots"))]}, "“lots” is not a number"),
    ({"figures": [{"name": "Nameless", "routine": []}]}, "None is not an id"),
    ({"figures": [figure(step("sphere", radius=float("nan")))]}, "NaN is not a number"),
    ({"figures": [figure(step("box"), step("grid", columns=1000, rows=1000, layers=1000))]}, "1,000,000,000 copies"),
    ({"figures": [figure(step("twist", angle=formula("().__class__")))]}, "has no meaning in a formula"),
    ({"figures": [figure(step("twist", angle=formula("9**9**9")))]}, "write pow(a, b)"),
]


@pytest.mark.parametrize(("change", "says"), WRONG)
@pytest.mark.parametrize("command", ["check", "seam"])
def test_wrong_scenes_are_named_without_a_traceback(tmp_path, capsys, change, says, command):
    path = tmp_path / "scene.json"
    path.write_text(json.dumps({**document(), **change}))
    assert main([command, str(path)]) == 2
    told = capsys.readouterr().err
    assert says in told
    assert "Traceback" not in told


def test_check_says_when_nothing_is_wrong(scene_file, capsys):
    assert main(["check", scene_file(figure(step("box")))]) == 0
    assert "nothing wrong, 0 notes" in capsys.readouterr().out


def test_seam_prints_json(scene_file, capsys):
    main(["seam", scene_file(figure(step("box"), place={"rotation": [0, keyed((0, 0), (96, 90)), 0]})), "--json"])
    found = json.loads(capsys.readouterr().out)
    assert found["state"] == "open"
    assert found["offenders"][0]["name"] == "Thing"


def test_kinds_prints_everything_about_them(capsys):
    main(["kinds", "--json"])
    found = json.loads(capsys.readouterr().out)
    twist = next(kind for kind in found["steps"] if kind["id"] == "twist")
    angle = next(setting for setting in twist["settings"] if setting["name"] == "angle")
    assert angle["soft"] == [-720, 720]
    assert angle["unit"] == "deg"
    assert angle["help"].startswith("Turn from one end")
    assert "clock" in found["things"]


def test_the_page_of_kinds_is_current(capsys):
    main(["kinds", "--markdown"])
    assert capsys.readouterr().out == (ROOT / "docs" / "kinds.md").read_text("utf-8")


def test_evaluate_writes_geometry(scene_file, tmp_path):
    assert main(["evaluate", scene_file(figure(step("box"))), "--frame", "3", "--out", str(tmp_path / "a.obj")]) == 0
    assert (tmp_path / "a.obj").read_text().count("\nv ") == 8
    assert main(["evaluate", scene_file(), "--out", str(tmp_path / "a.stl")]) == 2


@pytest.mark.parametrize("text", ["", "x", "5-3", "1-", "-4", "0-9x0", "1.5"])
def test_wrong_ranges_of_frames_are_refused(text):
    with pytest.raises(Exception, match="allowed 12, 0-95 or 0-95x2"):
        frame_range(text)


@pytest.mark.parametrize("text", ["", "100", "100x", "0x5", "9999x5", "axb"])
def test_wrong_sizes_are_refused(text):
    with pytest.raises(Exception, match="is not a size"):
        picture_size(text)


def test_threads_do_not_change_the_bytes(tmp_path):
    scene = str(DEMO / "wind-map.json")
    pictures = []
    for threads in ("1", "2"):
        out = tmp_path / f"{threads}.png"
        run = [sys.executable, "-m", "pirouette.cli", "render", scene, "--frames", "9", *SMALL, "--threads", threads]
        subprocess.run([*run, "--out", str(out)], check=True, cwd=ROOT, capture_output=True)
        pictures.append(read_png(out))
    np.testing.assert_array_equal(*pictures)
