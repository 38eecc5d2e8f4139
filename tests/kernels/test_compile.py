"""Compiled kernels are kept for the sources that they were compiled of, wherever those lie."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pirouette

TWICE = "from .compile import kernel\n\n\n@kernel\ndef twice(number):\n    return 2 * number\n"
ASK = "from pirouette.kernels.tiny import twice; print(twice(4), sum(twice.stats.cache_hits.values()))"


def copied(folder: Path, text: str) -> Path:
    """Another copy of what compiles, with one small kernel."""
    kernels = Path(pirouette.__file__).parent / "kernels"
    there = folder / "pirouette" / "kernels"
    there.mkdir(parents=True)
    (folder / "pirouette" / "__init__.py").write_text("")
    for name in ("__init__.py", "compile.py"):
        shutil.copy(kernels / name, there)
    (there / "tiny.py").write_text(text)
    return folder


def asked(folder: Path, home: Path) -> str:
    environment = {name: value for name, value in os.environ.items() if name != "NUMBA_CACHE_DIR"}
    environment |= {"PYTHONPATH": str(folder), "XDG_CACHE_HOME": str(home)}
    done = subprocess.run([sys.executable, "-c", ASK], cwd=folder, env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()


def test_another_copy_of_the_same_sources_compiles_nothing_again(tmp_path):
    home = tmp_path / "home"
    assert asked(copied(tmp_path / "one", TWICE), home) == "8 0"
    assert asked(copied(tmp_path / "two", TWICE), home) == "8 1"
    # Other sources are another kernel, though it is called the same and stands in the same line.
    assert asked(copied(tmp_path / "three", TWICE.replace("2 *", "3 *")), home) == "12 0"
