"""The files that pages are made of: small on their way, fetched side by side, whole whatever happens."""

import gzip
import os
import re
import time

import brotli
import pytest
from django.conf import settings

from studio import packed
from studio.packed import modules_of, pack
from tests.scenes import ROOT

STATIC = ROOT / "studio/static"


def folder(tmp_path):
    source = tmp_path / "source"
    (source / "js").mkdir(parents=True)
    (source / "js/a.js").write_text("export const a = 1;\n" * 200)
    (source / "picture.webp").write_bytes(b"RIFF")
    return source


def test_a_copy_holds_every_file_and_each_text_packed(tmp_path):
    source = folder(tmp_path)
    pack(source, tmp_path / "static/one")
    made = tmp_path / "static/one"
    names = {path.relative_to(made).as_posix() for path in made.rglob("*") if path.is_file()}
    assert names == {"js/a.js", "js/a.js.gz", "js/a.js.br", "picture.webp"}
    text = (source / "js/a.js").read_bytes()
    assert gzip.decompress((made / "js/a.js.gz").read_bytes()) == text
    assert brotli.decompress((made / "js/a.js.br").read_bytes()) == text
    assert (made / "js/a.js.br").stat().st_size < len(text) / 10


def test_who_edits_files_changes_nothing_of_a_copy(tmp_path):
    source, made = folder(tmp_path), tmp_path / "static/one"
    pack(source, made)
    (source / "js/a.js").write_text("broken")
    pack(source, made)
    assert (made / "js/a.js").read_text().startswith("export")


def test_two_processes_that_make_the_same_copy_both_find_it_whole(tmp_path, monkeypatch):
    source, made = folder(tmp_path), tmp_path / "static/one"
    copytree = packed.shutil.copytree

    def overtaken(*args, **more):
        monkeypatch.setattr(packed.shutil, "copytree", copytree)
        pack(source, made)
        return copytree(*args, **more)

    monkeypatch.setattr(packed.shutil, "copytree", overtaken)
    pack(source, made)
    assert [one.name for one in made.parent.iterdir()] == ["one"]
    assert (made / "js/a.js").is_file()


def test_earlier_copies_and_those_not_brought_to_their_end_go(tmp_path):
    source, static = folder(tmp_path), tmp_path / "static"
    (static / ".draft-old").mkdir(parents=True)
    os.utime(static / ".draft-old", (time.time() - 3600,) * 2)
    (static / ".draft-now").mkdir()
    for name in ("one", "two", "three"):
        pack(source, static / name)
        os.utime(static / name, (time.time() - 60 + len(list(static.iterdir())),) * 2)
    pack(source, static / "four")
    left = {one.name for one in static.iterdir()}
    assert left >= {"four", ".draft-now"}
    assert len(left) == 3 and ".draft-old" not in left


@pytest.mark.parametrize(("accepted", "unpack"), [("br, gzip", brotli.decompress), ("gzip", gzip.decompress)])
def test_scripts_and_styles_come_packed(client, accepted, unpack):
    for name in ("js/editor.js", "css/editor.css", "vendor/three/three.core.min.js", "vendor/lucide/icons.svg"):
        answer = client.get(f"{settings.STATIC_URL}studio/{name}", headers={"Accept-Encoding": accepted})
        body = b"".join(answer.streaming_content)
        whole = (STATIC / "studio" / name).read_bytes()
        assert answer.headers["Content-Encoding"] == accepted.split(",")[0]
        assert unpack(body) == whole and len(body) < len(whole) / 2
        assert "immutable" in answer.headers["Cache-Control"]


def test_every_module_is_told_of_at_once():
    """All that any of them imports, once each, and no more than there is."""
    found = modules_of("studio/js/editor.js")
    assert len(found) == len(set(found)) > 60
    paths = [STATIC / one.removeprefix(settings.STATIC_URL) for one in found]
    assert paths[0].name == "editor.js" and {"three.module.min.js", "three.core.min.js"} <= {one.name for one in paths}
    for path in paths:
        for line in re.findall(r'from\s*"(\.[^"]+)"', path.read_text("utf-8")):
            assert (path.parent / line).resolve() in paths, (path, line)
