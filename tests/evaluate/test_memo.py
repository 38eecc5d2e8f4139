"""The memo: bounded by what its results really keep alive, each shared record counted once."""

from dataclasses import replace

import numpy as np
import pytest

from pirouette.data import Copies, Mesh
from pirouette.data.bytes import parts_of, records_in, size_of
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo, evaluate, routines
from pirouette.geometry.boolean import Solid
from pirouette.geometry.cutting import cut_faces
from pirouette.geometry.sweep import round_section, swept
from pirouette.kinds.forms.sphere import SphereSettings, sphere
from tests.scenes import document, figure, keyed, look, scene, step


def reached(result) -> list:
    """All records that a result keeps alive, each once."""
    known, waiting = {}, list(records_in(result))
    while waiting:
        record = waiting.pop()
        if id(record) not in known:
            known[id(record)] = record
            waiting.extend(parts_of(record))
    return list(known.values())


def total(result) -> int:
    return sum(map(size_of, reached(result)))


def ball(count=1000) -> Mesh:
    return Mesh(np.zeros((count, 3)), Mesh.point().topology.of_faces(np.zeros((0, 3)), count))


def test_bytes_are_counted_while_another_thread_derives_something():
    """As if it happened between two of the record's arrays."""
    mesh = ball()

    class Slow(np.ndarray):
        @property
        def nbytes(self):
            vars(mesh)["derived_meanwhile"] = np.zeros(1)
            return super().nbytes

    object.__setattr__(mesh, "opacity", np.ones(1000, np.float32).view(Slow))
    assert mesh.own_bytes >= 1000 * 16


def test_what_is_needed_for_places_in_pictures_yet_to_be_made_is_counted():
    """A cut mixes them from those of its source, a tube from its layout."""
    source = sphere(SphereSettings({}).resolve())
    tool = source.with_points(source.points + np.float32([60, 0, 0]))
    part = cut_faces(source, [Solid.of(tool)], False, True)
    assert id(source) in {id(record) for record in reached(part)}
    curve = Mesh.curves(np.arange(30, dtype=np.float32).reshape(10, 3), [10], False)
    tube = swept(curve, round_section(8, True), np.ones(10))
    corners = len(tube.topology.corners)
    assert total(tube) - total(replace(tube, known_uvs=None)) >= 4 * 2 * corners


def test_copies_count_all_their_columns_and_their_sources():
    source, places = ball(), np.zeros((500, 3), np.float32)
    copies = Copies.at(source, places)
    own = 500 * (4 + 12 + 16 + 12 + 12 + 4 + 4 + 12)
    assert total(copies) == own + total(source)
    copies.matrices  # noqa: B018
    assert total(copies) == own + 500 * 48 + total(source)


def test_copies_of_copies_do_not_keep_their_product():
    inner = Copies.at(ball(3), np.zeros((1000, 3), np.float32)).moved(opacity=np.full(1000, 0.5))
    outer = Copies.at(inner, np.zeros((1000, 3), np.float32))
    before = total(outer)
    drawn = outer.flattened()
    assert total(drawn) > 48_000_000
    assert total(outer) < before + 1000 * 48 * 2 + 1


def test_few_copies_within_others_are_flattened_once_for_all_outer_ones(monkeypatch):
    """A wheel of a figure that is copies itself: of a drag of the wheel, the figure within stays as it is."""
    done = []
    flattened = Copies.flattened

    def counted(self, *rest):
        done.append(self.count)
        return flattened(self, *rest)

    monkeypatch.setattr(Copies, "flattened", counted)
    inner = figure(step("box"), step("row", count=7), name="Inner", visible="hidden")
    memo, matrices = Memo(), []
    for radius in (100, 110):
        wheel = figure(step("others", figures=["inner"]), step("wheel", count=5, radius=radius), name="Wheel")
        picture = evaluate(read_scene(document(inner, wheel)), 0, memo=memo)
        matrices.append(picture.drawables[0].matrices)
    assert [len(one) for one in matrices] == [35, 35]
    assert not np.array_equal(*matrices)
    assert done.count(7) == 1
    assert done.count(5) == 2


def test_a_record_is_counted_once_when_it_is_put(monkeypatch):
    asked = []
    own_bytes = Copies.own_bytes.fget
    monkeypatch.setattr(Copies, "own_bytes", property(lambda self: asked.append(self) or own_bytes(self)))
    copies = Copies.at(ball(3), np.zeros((4, 3), np.float32))
    memo = Memo()
    memo.put("copies", copies)
    assert len(asked) == 1
    assert memo.bytes == total(copies)


def test_a_million_nested_copies_are_counted_as_what_they_hold():
    raw = document(figure(step("box"), step("row", count=1000), step("row", id="second", count=1000)))
    memo = Memo(1 << 30)
    picture = evaluate(read_scene(raw), 0, memo=memo)
    assert len(picture.drawables[0].matrices) == 1_000_000
    assert memo.bytes > picture.drawables[0].matrices.nbytes


def test_a_memo_too_small_for_a_picture_keeps_within_its_bytes():
    raw = document(figure(step("box"), step("row", count=1000), step("row", id="second", count=1000)))
    memo = Memo(4 << 20)
    picture = evaluate(read_scene(raw), 0, memo=memo)
    assert len(picture.drawables[0].matrices) == 1_000_000
    assert 0 < memo.bytes <= memo.limit


def test_a_record_that_two_results_share_is_counted_once():
    memo, source = Memo(), ball(100_000)
    memo.put("a", Copies.at(source, np.zeros((1, 3))))
    one = memo.bytes
    memo.put("b", Copies.at(source, np.zeros((1, 3))))
    assert memo.bytes - one < 1000


def test_a_shared_record_is_forgotten_with_the_last_result_that_holds_it():
    source = ball(100_000)
    memo = Memo(total(source) + 3000)
    memo.put("a", Copies.at(source, np.zeros((1, 3))))
    memo.put("b", Copies.at(source, np.zeros((1, 3))))
    memo.put("c", np.zeros(2000, np.uint8))
    memo.put("d", np.zeros(2000, np.uint8))
    assert memo.peek("a") is None
    assert memo.bytes <= memo.limit


def test_what_is_derived_later_is_counted_when_it_is_asked_for_again():
    memo = Memo()
    raw = document(figure(step("sphere", rings=100, segments=100)))
    opened = read_scene(raw)
    mesh = Evaluator(opened, 0, memo).shape_of(opened.figures[0])
    before = memo.bytes
    mesh.topology.edges  # noqa: B018
    Evaluator(opened, 1, memo).shape_of(opened.figures[0])
    assert memo.bytes >= before + mesh.topology.edges.nbytes


def test_what_does_not_say_how_large_it_is_is_an_error():
    with pytest.raises(TypeError, match="does not say how many bytes"):
        Memo().put("a", object())


def test_shapes_of_other_times_are_held_by_the_memo_alone():
    raw = document(figure(step("sphere"), step("row", count=3), step("drift", churn=1), step("twist")))
    opened, memo = read_scene(raw), Memo(0)
    ev = Evaluator(opened, 0, memo)
    for frame in range(20):
        ev.at(opened.moment(float(frame))).shape_of(opened.figures[0])
    assert not any(len(one._shapes) for one in ev.shared.moments.values())


@pytest.mark.parametrize("moves", [{"pattern_churn": 2}, {"pattern_slide": [100, 0, 0]}])
def test_a_pattern_that_moves_on_a_still_figure_is_never_that_of_another_frame(moves):
    opened = scene(figure(step("sphere"), looks=[look("surface", paint="pattern", **moves)]))

    def pattern(frame, memo):
        (drawable,) = evaluate(opened, frame, memo=memo).drawables
        return [part.tobytes() for part in drawable.looks[0].paint.pattern]

    memo = Memo()
    remembered = [pattern(frame, memo) for frame in (0, 17, 0)]
    assert remembered == [pattern(frame, Memo()) for frame in (0, 17, 0)]
    assert remembered[0] != remembered[1]


def test_an_earlier_shape_is_made_once_however_many_moments_ask_for_it(monkeypatch):
    made, run_routine = [], routines.run_routine

    def counted(run, stop=None):
        made.append((run.ev.moment.frame, stop))
        return run_routine(run, stop)

    monkeypatch.setattr(routines, "run_routine", counted)
    memo = Memo()

    def shown(count=2, width=1):
        moving = scene(
            figure(
                step("box"),
                step("row", count=count),
                step("shift", place=[keyed((0, 0), (96, 360)), 0, 0]),
                step("trail", lasts="some frames", frames=10, width=width),
                looks=[look("wire")],
            )
        )
        return lambda frame, memo=memo: evaluate(moving, frame, memo=memo).drawables[0].mesh.points

    def asked_for():
        found = [frame for frame, stop in made if stop == 3]
        made.clear()
        return sorted(found)

    plain = shown()
    plain(30)
    assert asked_for() == list(range(20, 30))
    before = plain(31)
    assert asked_for() == [30]
    # An edit below it changes nothing, one above it all.
    np.testing.assert_array_equal(shown(width=3)(31), before)
    assert asked_for() == []
    assert len(shown(count=3)(31)) > len(before)
    assert asked_for() == list(range(21, 31))
    np.testing.assert_array_equal(plain(31, Memo()), before)
