"""No file takes more memory to read than is stated; each is read in a process of its own."""

import pytest

from pirouette.assets.library import READER_MEMORY
from tests.assets.heavy import FILES, memory_of_reading

READ = {
    "points.obj", "points.ply", "faces.stl", "points.glb", "segments.svg", "elements.svg", "pixels.png", "pixels.jpg",
    "pixels.hdr", "pixels.exr",
}  # fmt: skip


@pytest.mark.parametrize("name", FILES)
def test_the_heaviest_files_take_no_more_than_the_stated_memory(name, tmp_path):
    path = tmp_path / name
    path.write_bytes(FILES[name]())
    took, words = memory_of_reading(path)
    assert words.startswith("read" if name in READ else "refused")
    assert took <= READER_MEMORY
    # It is measured: fifty million pixels of four bytes are there at least once.
    assert took > 7_000 * 7_000 * 4 or name != "pixels.png"
