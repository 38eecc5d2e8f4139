"""Pictures, and the library that keeps all assets."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from pirouette.assets.library import Asset, FolderLibrary, id_of, sort_of
from pirouette.assets.picture import read_picture
from pirouette.data import ProblemError
from pirouette.data.texture import sample_pixels
from tests.assets.made import SVG
from tests.scenes import ROOT


def test_pictures_are_linear_light_and_sampled_smoothly():
    out = io.BytesIO()
    Image.fromarray(np.array([[[0, 0, 0], [255, 255, 255]]], np.uint8)).save(out, "PNG")
    picture = read_picture(out.getvalue())
    np.testing.assert_allclose(sample_pixels(picture, [0.25, 0.5, 0.75], [0.5] * 3)[:, 0], [0, 0.5, 1], atol=1e-6)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_png_jpeg_and_webp_are_read(kind):
    out = io.BytesIO()
    Image.new("RGB", (30, 20), (255, 0, 0)).save(out, kind)
    assert read_picture(out.getvalue()).shape == (20, 30, 4)


def test_pictures_that_would_fill_the_memory_are_refused():
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    assert len(out.getvalue()) < 100_000
    with pytest.raises(ProblemError, match="pixels|picture"):
        read_picture(out.getvalue())


def test_a_gif_is_no_picture_here():
    out = io.BytesIO()
    Image.new("P", (4, 4)).save(out, "GIF")
    with pytest.raises(ProblemError, match="no picture"):
        read_picture(out.getvalue())


# The library


def test_files_have_ids_that_scenes_can_name():
    assert id_of("My Kite (final).SVG") == "my-kite-final.svg"
    assert id_of("../../etc/passwd.png") == "passwd.png"
    assert [sort_of(name) for name in ("a.OTF", "b.glb", "c.webp", "d.exe")] == ["font", "model", "picture", None]


def test_a_folder_is_a_library(tmp_path):
    (tmp_path / "Kite.svg").write_text(SVG.format('<rect width="3" height="3"/>'))
    (tmp_path / "notes.txt").write_text("x")
    library = FolderLibrary(tmp_path)
    assert library.ids() == {"kite.svg": "artwork"}
    assert len(library.find("kite.svg").content.shapes) == 1
    with pytest.raises(KeyError):
        library.find("notes.txt")


def test_a_file_that_is_too_large_is_refused():
    with pytest.raises(ProblemError, match="may have up to 4 MB"):
        Asset("a.svg", "artwork", b" " * (5 << 20)).content  # noqa: B018


def test_shipped_typefaces_have_their_licences():
    folder = Path(ROOT / "pirouette/assets/shipped")
    for path in folder.glob("*.woff2"):
        assert "SIL Open Font License" in (folder / f"LICENSE-{path.stem}").read_text("utf-8")
