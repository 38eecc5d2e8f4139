"""Renders every other of 48 frames of a scene into a folder, as a render worker does; one of two beside each other."""

import sys
from pathlib import Path

from pirouette.document import load_scene
from pirouette.evaluate import Memo
from pirouette.formats.stored import store
from pirouette.formats.table import BY_ID, options_of
from pirouette.render import render_scene


def main(path, folder, number):
    scene, memo, mp4 = load_scene(path), Memo(), BY_ID["mp4"]
    for frame in range(int(number), 48, 2):
        rendered = render_scene(scene, frame, (1920, 1080), 8, memo=memo)
        store(mp4, Path(folder) / f"{frame}.npy", rendered, scene.first_moment.fps, options_of(mp4, None))


if __name__ == "__main__":
    main(*sys.argv[1:])
