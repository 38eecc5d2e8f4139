"""What has a past: signatures, simulations by checkpoints, and what an edit makes them compute again."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette import catalogue
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo, evaluate
from pirouette.evaluate.signature import Signatures
from pirouette.kinds.modulators import lag
from tests.scenes import clause, document, field, figure, formula, keyed, look, scene, step, swing

MOVED = {"position": [swing(0, 60), 0, 0]}


def lagging(**more) -> dict:
    """A row that swings and lags behind itself, and another figure."""
    return document(
        figure(
            step("box"),
            step("row", count=3),
            step("shift", place=[0, swing(0, 50), 0]),
            step("lag", behind=3, bounce=0.3),
            name="Flags",
        ),
        figure(step("sphere"), name="Other"),
        **more,
    )


def places(opened, frame, memo=None):
    return Evaluator(opened, frame, memo or Memo()).shape_of(opened.figures[0]).position


class Counted:
    """Counts the steps of a simulation, also from threads."""

    def __init__(self, monkeypatch):
        self.frames = 0
        simulation = lag.KIND.simulation

        def advance(copies, settings, state, moment):
            self.frames += 1
            return simulation.advance(copies, settings, state, moment)

        counting = replace(lag.KIND, simulation=replace(simulation, advance=advance))
        monkeypatch.setattr("pirouette.document.read.STEPS", {**catalogue.STEPS, "lag": counting})


@settings(max_examples=15, deadline=None)
@given(st.lists(st.sampled_from([0, 1, 7, 7.5, 40, 95, 96]), min_size=1, max_size=6))
def test_any_order_of_asking_gives_the_same_bytes(order):
    opened, memo = read_scene(lagging()), Memo()
    for frame in order:
        assert places(opened, frame, memo).tobytes() == places(opened, frame).tobytes()


def test_a_memo_that_keeps_nothing_changes_no_byte():
    opened = read_scene(lagging())
    assert places(opened, 5, Memo(0)).tobytes() == places(opened, 5).tobytes()


def test_a_spring_that_forgot_its_start_repeats_each_loop():
    opened = read_scene(lagging())
    first, again = places(opened, 0), places(opened, 96)
    assert np.abs(first - again).max() < 0.05
    # It swings at all, and behind what it follows.
    assert np.abs(places(opened, 24) - first).max() > 20


def test_a_spring_follows_a_swing_as_the_damped_oscillator_does():
    # x'' = k (goal − x) − c x' with goal = 50 sin(wt): amplitude and delay of the steady state.
    opened = read_scene(lagging())
    pull = 1 / 3
    k, c, w = 2 * pull**2, 2 * pull * np.sqrt(2) * 0.7, 2 * np.pi / 96
    response = k / (k - w * w + 1j * c * w)
    ys = np.array([places(opened, frame)[0, 1] for frame in range(96)])
    found = 2 * np.mean(ys * np.exp(-1j * w * np.arange(96)))
    wanted = 50 * response / 1j
    assert abs(found - wanted) < 0.03 * abs(wanted)


def test_a_scene_that_plays_once_begins_at_rest():
    raw = lagging(clock={"fps": 24, "frames": 96, "loops": False})
    raw["figures"][0]["routine"][2]["settings"]["place"] = [0, keyed((0, 0), (10, 100)), 0]
    opened = read_scene(raw)
    assert (places(opened, 0)[:, 1] == 0).all()
    assert 0 < places(opened, 4)[0, 1] < 40
    assert abs(places(opened, 60)[0, 1] - 100) < 1


def test_a_fraction_of_a_frame_lies_between_two_whole_ones():
    opened = read_scene(lagging())
    before, middle, after = (places(opened, frame)[0, 1] for frame in (10, 10.5, 11))
    assert min(before, after) <= middle <= max(before, after)


def frames_around(monkeypatch, edit) -> tuple[int, int]:
    """The steps a simulation took to be shown first, and again after an edit of its scene."""
    counted = Counted(monkeypatch)
    raw, memo = lagging(), Memo()
    evaluate(read_scene(raw), 20, memo=memo)
    first = counted.frames
    edit(raw)
    evaluate(read_scene(raw), 20, memo=memo)
    return first, counted.frames - first


def test_playing_on_takes_one_step_a_frame(monkeypatch):
    counted = Counted(monkeypatch)
    opened, memo = read_scene(lagging()), Memo()
    places(opened, 10, memo)
    first = counted.frames
    places(opened, 11, memo)
    places(opened, 12, memo)
    places(opened, 4, memo)
    assert first > 10
    assert counted.frames == first + 2


@pytest.mark.parametrize(
    "edit",
    [
        lambda raw: raw["figures"][0]["looks"][0]["settings"].update(colour="#123456"),
        lambda raw: raw["lights"][0].update(settings={"brightness": 3}),
        lambda raw: raw["figures"][1]["routine"][0]["settings"].update(radius=9),
        lambda raw: raw["cameras"][0].update(settings={"lens": 80}),
        lambda raw: raw["frame"].update(width=640),
        lambda raw: raw["figures"][0]["routine"].append(step("tint", id="last")),
        lambda raw: raw["figures"][0].update(place={"position": [9, 0, 0]}),
    ],
    ids=["colour", "light", "other figure", "camera", "frame", "a step below", "its place"],
)
def test_what_a_simulation_does_not_follow_from_recomputes_no_step(monkeypatch, edit):
    before, after = frames_around(monkeypatch, edit)
    assert before > 20
    assert after == 0


@pytest.mark.parametrize(
    "edit",
    [
        lambda raw: raw["figures"][0]["routine"][3]["settings"].update(bounce=0.5),
        lambda raw: raw["figures"][0]["routine"][2]["settings"].update(place=[0, swing(0, 51), 0]),
        lambda raw: raw["figures"][0]["routine"][1]["settings"].update(count=4),
        lambda raw: raw["clock"].update(frames=95),
        lambda raw: raw["clock"].update(settle=2),
    ],
)
def test_what_a_simulation_follows_from_begins_it_anew(monkeypatch, edit):
    _, after = frames_around(monkeypatch, edit)
    assert after > 20


def reached() -> dict:
    """A figure whose step reaches another figure, a guide, a field and a value of a light."""
    return document(
        figure(step("box"), step("row", count=3), step("aim", at="target"),
               step("shift", "gust", place=[formula("{Sun.brightness}"), formula("{Post.world.x}"), 0])),
        figure(step("sphere"), name="Target", place={"follows": "hub"}),
        fields=[field("Gust", clause("near", {"follows": "hub"}, to="post"))],
        guides=[{"id": "hub", "name": "Hub", "place": MOVED}, {"id": "post", "name": "Post", "place": {}}],
        lights=[{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"brightness": 2}}],
    )  # fmt: skip


@pytest.mark.parametrize(
    ("edit", "is_seen"),
    [
        (lambda raw: raw["guides"][0]["place"].update(scale=[2, 2, 2]), True),
        (lambda raw: raw["guides"][1]["place"].update(position=[1, 0, 0]), True),
        (lambda raw: raw["fields"][0]["clauses"][0]["settings"].update(fade=9), True),
        (lambda raw: raw["fields"][0]["clauses"][0]["joining"].update(strength=0.5), True),
        (lambda raw: raw["fields"][0].update(after={"then": "keeps"}), True),
        (lambda raw: raw["figures"][1]["routine"][0]["settings"].update(radius=9), True),
        (lambda raw: raw["lights"][0]["settings"].update(brightness=1), True),
        (lambda raw: raw["figures"][0].update(place=MOVED), True),
        (lambda raw: raw["figures"][0].update(own_time={"offset": 2}), True),
        (lambda raw: raw["clock"].update(fps=30), True),
        (lambda raw: raw["lights"][0]["settings"].update(colour="#123456"), False),
        (lambda raw: raw["figures"][1]["looks"].append(look("wire")), False),
        (lambda raw: raw["figures"][0].update(visible="hidden"), False),
        (lambda raw: raw["frame"].update(width=640), False),
        (lambda raw: raw.update(name="Another"), False),
    ],
)
def test_a_signature_sees_all_that_a_step_reaches_and_nothing_else(edit, is_seen):
    raw = reached()
    before = Signatures(one := read_scene(raw)).shape(one.figures[0])
    edit(raw)
    after = Signatures(other := read_scene(raw)).shape(other.figures[0])
    assert (before != after) is is_seen


def test_lag_tells_how_fast_copies_move():
    opened = read_scene(lagging())
    shape = Evaluator(opened, 10, Memo()).shape_of(opened.figures[0])
    steps = (places(opened, 10.5) - places(opened, 9.5)) * 24
    assert shape.at_copies["velocity"] == pytest.approx(steps, rel=0.2, abs=1)
    np.testing.assert_allclose(shape.at_copies["speed"], np.linalg.norm(shape.at_copies["velocity"], axis=1), rtol=1e-6)


def test_a_place_in_the_world_is_read_by_formulas_also_of_what_rides_a_curve():
    ring = figure(step("circle", radius=100, points=200), name="Ring", looks=[])
    rider = {"id": "rider", "name": "Rider", "place": {"follows": "ring", "rides": "its curve", "along": 0.25}}
    made = figure(
        step("box"), place={"position": [formula("{Rider.world.x}"), formula("{Rider.world.y}"), 0]}, name="Box"
    )
    opened = scene(made, ring, guides=[rider])
    there = Evaluator(opened, 0).thing_matrix("rider")[:3, 3]
    assert np.linalg.norm(there) == pytest.approx(100, abs=0.1)
    np.testing.assert_allclose(evaluate(opened, 0).drawables[0].matrices[0, :, 3], there, atol=1e-4)


def test_places_in_formulas_that_lead_in_a_circle_are_told_when_the_scene_is_read():
    guides = [
        {"id": "a", "name": "A", "place": {"position": [formula("{B.world.x}"), 0, 0]}},
        {"id": "b", "name": "B", "place": {"position": [formula("{A.scale.x}"), 0, 0], "follows": "a"}},
    ]
    with pytest.raises(Exception, match="in a circle: A → B → A|in a circle: B → A → B"):
        scene(figure(step("box")), guides=guides)
