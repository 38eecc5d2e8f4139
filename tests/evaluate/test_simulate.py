"""Simulations in time: any frame by any way, what is kept on disk, what is computed again, and how loops close."""

import os
import signal
import subprocess
import sys
import threading
import time

import jsonpatch
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.checks.seam import measure_seam
from pirouette.data import Cancelled
from pirouette.data.question import Question
from pirouette.data.state import State
from pirouette.document import read_scene
from pirouette.evaluate import Checkpoints, Evaluator, Memo, frames_known, simulate
from pirouette.kinds.simulations import swarm as swarm_module
from tests.scenes import ROOT, document, figure, force, look, pushed, step, swing

FORCES = force("gust", strength=150, churn=2), force("drag", strength=1)


def swarms(**more):
    swarm = pushed("swarm", *FORCES, count=30, life=20, **more)
    raw = document(
        figure(step("sphere"), swarm, step("trail", frames=6), looks=[look("wire")]),
        figure(step("box"), name="Other"),
    )
    raw["clock"]["frames"] = 24
    return raw


def swaying(**more):
    strands = pushed("strands", force("gust", strength=80), count=5, parts=6, **more)
    raw = document(figure(step("sphere"), strands, place={"position": [swing(0, 30), 0, 0]}))
    raw["clock"]["frames"] = 48
    return raw


def jiggling():
    raw = document(
        figure(step("sphere", rings=6, segments=8), pushed("jiggle"), place={"position": [swing(0, 50), 0, 0]})
    )
    raw["clock"]["frames"] = 24
    return raw


SCENES = {"swarm": swarms, "strands": swaying, "jiggle": jiggling}


def seen(scene, frame, memo):
    shape = Evaluator(scene, frame, memo).shape_of(scene.figures[0])
    return shape.key, shape.points.tobytes()


@given(
    st.lists(st.sampled_from([0, 1, 5, 5.5, 12, 17.25, 23]), min_size=1, max_size=5),
    st.sampled_from(sorted(SCENES)),
)
@settings(max_examples=15, deadline=None)
def test_any_order_of_asking_gives_the_same_bytes(frames, name):
    scene, memo = read_scene(SCENES[name]()), Memo()
    for frame in frames:
        assert seen(scene, frame, memo) == _alone(name, frame)


_known = {}


def _alone(name, frame):
    """What a fresh memo gives, once for each frame."""
    if (name, frame) not in _known:
        _known[name, frame] = seen(read_scene(SCENES[name]()), frame, Memo())
    return _known[name, frame]


def test_another_process_gives_the_same_bytes():
    code = (
        "from tests.evaluate.test_simulate import *;"
        "import hashlib;"
        "print(hashlib.sha1(seen(read_scene(swarms()), 13.5, Memo())[1]).hexdigest())"
    )
    import hashlib

    environment = {**os.environ, "PIROUETTE_THREADS": "1"}
    printed = subprocess.run([sys.executable, "-c", code], cwd=ROOT, env=environment, capture_output=True, text=True)
    own = hashlib.sha1(seen(read_scene(swarms()), 13.5, Memo())[1]).hexdigest()
    assert printed.stdout.strip() == own, printed.stderr


@pytest.fixture
def steps(monkeypatch):
    """Counts the frames that swarms are moved on."""
    counted = []
    advance = swarm_module.advance

    def counting(copies, mesh, rest, settings, moment, weights_at, is_limited, forces, links, state):
        counted.append(moment.frame)
        return advance(copies, mesh, rest, settings, moment, weights_at, is_limited, forces, links, state)

    simulation = swarm_module.KIND.simulation
    object.__setattr__(simulation, "advance", counting)
    simulation.__dict__.pop("arguments", None)
    yield counted
    object.__setattr__(simulation, "advance", advance)


@pytest.mark.parametrize(
    ("edit", "is_anew"),
    [
        (lambda raw: raw["figures"][0]["looks"][0]["settings"].update(colour="#112233"), False),
        (lambda raw: raw["figures"][0]["routine"][2]["settings"].update(frames=3), False),
        (lambda raw: raw["figures"][1]["routine"][0]["settings"].update(width=3), False),
        (lambda raw: raw["cameras"][0].update(settings={"lens": 80}), False),
        (lambda raw: raw["figures"][0]["routine"][1]["forces"][0]["settings"].update(strength=151), True),
        (lambda raw: raw["figures"][0]["routine"][1]["forces"][0].update(on=False), True),
        (lambda raw: raw["figures"][0]["routine"][1]["forces"].pop(), True),
        (lambda raw: raw["figures"][0]["routine"][0]["settings"].update(radius=51), True),
    ],
)
def test_an_edit_recomputes_just_what_follows_from_it(steps, edit, is_anew):
    raw, memo = swarms(), Memo()
    seen(read_scene(raw), 10, memo)
    before = len(steps)
    assert before >= 20
    edit(raw)
    seen(read_scene(raw), 10, memo)
    assert (len(steps) > before) == is_anew


def test_after_a_restart_the_states_on_disk_save_most_of_the_steps(steps, tmp_path, monkeypatch):
    monkeypatch.setattr(simulate, "SECONDS_BETWEEN", 0.0)
    scene = read_scene(swarms())
    first = seen(scene, 10, Memo(checkpoints=Checkpoints(tmp_path)))
    needed = len(steps)
    again = seen(scene, 10, Memo(checkpoints=Checkpoints(tmp_path)))
    assert again == first == seen(scene, 10, Memo())
    assert needed >= 29
    assert len(steps) - needed <= needed + 1
    steps.clear()
    seen(scene, 11, Memo(checkpoints=Checkpoints(tmp_path)))
    assert len(steps) <= 2


def test_a_state_that_does_not_read_well_is_computed_again(tmp_path, monkeypatch):
    monkeypatch.setattr(simulate, "SECONDS_BETWEEN", 0.0)
    scene = read_scene(swarms())
    first = seen(scene, 10, Memo(checkpoints=Checkpoints(tmp_path)))
    files = sorted(tmp_path.iterdir())
    assert len(files) > 20
    for number, file in enumerate(files):
        data = bytearray(file.read_bytes())
        if number % 3 == 0:
            data = data[: len(data) // 2]
        elif number % 3 == 1:
            data[len(data) // 2] ^= 255
        else:
            data = b""
        file.write_bytes(bytes(data))
    assert seen(scene, 10, Memo(checkpoints=Checkpoints(tmp_path))) == first


def test_states_stay_within_their_bytes_and_those_not_read_for_longest_go_first(tmp_path):
    store = Checkpoints(tmp_path, limit=100_000)
    for number in range(40):
        store.save(f"k{number}", State(at=np.zeros(1250)))
        os.utime(tmp_path / f"k{number}.state", (number, number))
        store.load("k0")
    total = sum(file.stat().st_size for file in tmp_path.iterdir())
    assert total <= 115_000
    assert store.load("k0") is not None
    assert store.load("k1") is None
    assert store.load("k39") is not None


def test_a_full_disk_is_no_fault(tmp_path, monkeypatch):
    store = Checkpoints(tmp_path)
    monkeypatch.setattr(np, "savez", lambda *_, **__: (_ for _ in ()).throw(OSError(28, "no space")))
    store.save("k", State(at=np.zeros(3)))
    assert list(tmp_path.iterdir()) == []
    assert store.load("k") is None


def test_a_kill_in_the_middle_of_writing_harms_nothing(tmp_path):
    code = (
        "import sys, numpy as np\n"
        "from pirouette.evaluate import Checkpoints\n"
        "from pirouette.data.state import State\n"
        "store = Checkpoints(sys.argv[1]); n = 0\n"
        "print('ready', flush=True)\n"
        "while True:\n"
        "    n += 1; store.save(f'k{n % 7}-{n}', State(at=np.full(200_000, n % 7, float)))\n"
    )
    for _ in range(3):
        writer = subprocess.Popen([sys.executable, "-c", code, str(tmp_path)], cwd=ROOT, stdout=subprocess.PIPE)
        writer.stdout.readline()
        time.sleep(0.3)
        writer.send_signal(signal.SIGKILL)
        writer.wait()
    store, found = Checkpoints(tmp_path), 0
    for file in tmp_path.glob("*.state"):
        state = store.load(file.stem)
        assert state is not None
        np.testing.assert_array_equal(state.at, float(file.stem[1]))
        found += 1
    assert found > 3


def test_two_who_ask_for_the_same_stretch_compute_it_once(steps):
    scene, memo = read_scene(swarms()), Memo()
    found = []
    threads = [threading.Thread(target=lambda: found.append(seen(scene, 20, memo))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(set(found)) == 1
    assert len(steps) <= 20 + 20 + 1


def test_a_simulation_ends_between_two_steps_once_it_is_not_wanted(steps):
    def is_cancelled():
        return len(steps) >= 5

    with pytest.raises(Cancelled):
        Evaluator(read_scene(swarms()), 10, Memo(), is_cancelled).shape_of(read_scene(swarms()).figures[0])
    assert len(steps) == 5


@pytest.mark.parametrize("name", sorted(SCENES))
def test_the_frames_whose_states_are_known_are_those_that_cost_nothing(steps, name, tmp_path, monkeypatch):
    monkeypatch.setattr(simulate, "SECONDS_BETWEEN", 0.0)
    raw = SCENES[name]()
    # Without the trail, which looks back round the loop.
    raw["figures"][0]["routine"] = raw["figures"][0]["routine"][:2]
    scene, memo = read_scene(raw), Memo(checkpoints=Checkpoints(tmp_path))
    assert frames_known(scene, 0, memo) == []
    seen(scene, 9, memo)
    assert frames_known(scene, 0, memo) == [(0, 10)]
    seen(scene, 12, memo)
    assert frames_known(scene, 5, memo) == [(0, 13)]
    counted = len(steps)
    for frame in range(13):
        seen(scene, frame, memo)
    assert len(steps) == counted
    assert frames_known(scene, 0, Memo(checkpoints=Checkpoints(tmp_path))) == [(0, 13)]


def test_blended_frames_are_known_once_both_their_states_are():
    raw, memo = swarms(closes_by="blending"), Memo()
    raw["figures"][0]["routine"][1]["settings"].update(life=0)
    scene = read_scene(raw)
    seen(scene, 7, memo)
    known = frames_known(scene, 0, memo)
    assert known == [(0, 8)]
    assert frames_known(read_scene(document(figure(step("box")))), 0, memo) is None


def test_who_waits_is_told_how_far_it_has_come(monkeypatch):
    monkeypatch.setattr(simulate, "SECONDS_UNTOLD", 0.0)
    raw, told = swarms(), []
    raw["figures"][0]["routine"].pop()
    scene = read_scene(raw)
    Evaluator(scene, 4, Memo(), Question(tell=told.append)).shape_of(scene.figures[0])
    assert {(one.figure, one.kind, one.of) for one in told} == {("Thing", "swarm", 24)}
    assert [one.done for one in told] == list(range(24))
    assert [one.settles for one in told] == [True] * 20 + [False] * 4


def test_a_scene_that_plays_once_begins_at_rest_or_has_run_in(steps):
    raw = swarms()
    raw["clock"]["loops"] = False
    assert len(Evaluator(read_scene(raw), 0, Memo()).shape_of(read_scene(raw).figures[0]).points) == 0
    assert not steps
    raw["figures"][0]["routine"][1]["settings"]["early"] = 12
    early = Evaluator(read_scene(raw), 0, Memo()).shape_of(read_scene(raw).figures[0])
    assert early.topology.curve_count > 3
    assert len(steps) == 12


@pytest.mark.parametrize("name", ["strands", "jiggle"])
def test_what_sways_has_settled_when_the_loop_comes_round(name):
    scene, memo = read_scene(SCENES[name]()), Memo()
    shapes = [
        Evaluator(scene, frame, memo).shape_of(scene.figures[0]).points
        for frame in (0, 1, scene.frame_count - 1, scene.frame_count)
    ]
    ordinary = max(np.abs(shapes[1] - shapes[0]).max(), 1e-3)
    assert ordinary > 0.05
    assert np.abs(shapes[3] - shapes[0]).max() < 0.1 * ordinary
    assert np.abs(shapes[0] - shapes[2]).max() < 3 * ordinary


def test_many_points_stay_within_the_bytes_of_the_memo():
    raw = swarms()
    raw["figures"][0]["routine"] = [step("sphere"), pushed("swarm", count=20_000, life=20)]
    scene, memo = read_scene(raw), Memo(8_000_000)
    for frame in range(0, 24, 6):
        shape = Evaluator(scene, frame, memo).shape_of(scene.figures[0])
        assert memo.bytes <= 8_000_000
    assert len(shape.points) > 10_000
    assert seen(scene, 18, memo) == seen(scene, 18, Memo())


@pytest.mark.parametrize(
    ("kind", "faulty", "mended"),
    [
        ("swarm", {"closes_by": "nothing"}, "its births"),
        ("strands", {"closes_by": "nothing"}, "settling"),
        ("strands", {"swings": 0.05, "damping": 0.01}, "blending"),
        ("jiggle", {"swings": 0.3, "damping": 0.01}, "blending"),
    ],
)
def test_a_loop_left_open_is_named_with_a_mend_that_closes_it(kind, faulty, mended):
    raw = SCENES[kind]()
    raw["figures"][0]["routine"] = raw["figures"][0]["routine"][:2]
    raw["figures"][0]["routine"][1]["settings"].update(faulty)
    seam = measure_seam(read_scene(raw))
    assert seam.state != "closed"
    found = next(offender for offender in seam.offenders if offender.patch)
    assert found.mend == f"close by {mended}"
    assert kind in found.cause
    mended_raw = jsonpatch.apply_patch(raw, list(found.patch))
    assert measure_seam(read_scene(mended_raw)).state == "closed"


@pytest.mark.parametrize("more", [None, force("gravity")])
def test_where_a_swarm_is_matters_to_those_forces_alone_that_live_in_the_world(steps, more):
    raw, memo = swarms(), Memo()
    if more:
        raw["figures"][0]["routine"][1]["forces"].append(more)
    seen(read_scene(raw), 10, memo)
    before = len(steps)
    raw["figures"][0]["place"] = {"rotation": [0, 0, 90]}
    seen(read_scene(raw), 10, memo)
    assert (len(steps) > before) == (more is not None)
