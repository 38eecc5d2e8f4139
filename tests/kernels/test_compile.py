"""Compiled kernels are kept for the sources that they were compiled of, wherever those lie."""

import ast
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


# What makes arrays, as numpy calls it.
MAKES = {"empty", "empty_like", "zeros", "zeros_like", "ones", "full", "copy", "array", "arange", "sort", "argsort"}


def kernels() -> dict:
    """The project's kernels by file and name: what each is decorated with, and what it calls."""
    told = {}
    for file in sorted((Path(pirouette.__file__).parent / "kernels").rglob("*.py")):
        for one in ast.parse(file.read_text()).body:
            ways = {getattr(way, "id", "") for way in getattr(one, "decorator_list", ())}
            if any(way.endswith("kernel") for way in ways):
                calls = [call.func for call in ast.walk(one) if isinstance(call, ast.Call)]
                told[file.stem, one.name] = ways, {getattr(call, "attr", getattr(call, "id", "")) for call in calls}
    return told


def test_what_counts_no_references_calls_nothing_that_makes_arrays():
    """It could only be compiled where what it calls was compiled before for another, which nothing ensures."""
    told = kernels()

    def called(one):
        file, names = one[0], told[one][1]
        return {(file, name) for name in names if (file, name) in told} | {
            other for other in told if other[1] in names and (file, other[1]) not in told
        }

    def makers(one, seen):
        """Those that make arrays among a kernel and all that it calls."""
        seen.add(one)
        mine = [one] if told[one][1] & MAKES else []
        return mine + [maker for other in called(one) - seen for maker in makers(other, seen)]

    uncounted = [one for one, (ways, _) in told.items() if ways & {"bare_kernel", "called_kernel", "exact_bare_kernel"}]
    assert len(uncounted) > 100
    assert {one: found for one in uncounted if (found := makers(one, set()))} == {}
