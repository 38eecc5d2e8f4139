"""What the server's start compiles before the first picture is asked for."""

from pirouette.kernels.render.around_levels import blur_all, blur_near, unroll
from pirouette.kernels.render.collect import collect_band
from pirouette.kernels.render.raster import raster_band
from pirouette.kernels.render.shade import shade_band
from pirouette.kernels.render.sheets import lay_sheets
from pirouette.kernels.render.stroke import draw_strokes
from pirouette.kernels.scanlines import unpack
from pirouette.warm import PARTS, is_cold, warm_files, warm_renderer
from tests.render.test_panorama import drawn, sunny
from tests.scenes import figure, step


def test_the_parts_draw_all_that_the_renderer_draws():
    for looks in PARTS:
        warm_renderer(looks)
    drawn(figure(step("box")), picture=sunny()[0], suns=1, frame={"background": "its sky"})
    for kernel in (raster_band, shade_band, collect_band, draw_strokes, lay_sheets):
        # One compiled form of each: another would be compiled while somebody waits.
        assert len(kernel.signatures) == 1


def test_what_is_read_from_files_is_compiled_too():
    warm_files()
    for kernel in (unpack, unroll, blur_all, blur_near):
        assert len(kernel.signatures) == 1


def test_it_is_known_whether_kernels_must_be_compiled_first(monkeypatch, tmp_path):
    monkeypatch.setattr("numba.config.CACHE_DIR", str(tmp_path))
    assert is_cold()
    (tmp_path / "place").mkdir()
    (tmp_path / "place" / "kernel.nbi").touch()
    assert not is_cold()
