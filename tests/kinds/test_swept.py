"""Tubes and ribbons against what mathematics says of them."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data import Mesh
from pirouette.data.mesh import Topology, shares_along
from pirouette.evaluate import evaluate
from pirouette.geometry import sweep
from pirouette.geometry.sweep import flat_section, round_section, section_of, swept
from pirouette.kernels.geometry.sweep import frames
from pirouette.kernels.threads import use_threads
from tests.kinds.test_deformers import volume
from tests.scenes import clause, field, figure, formula, scene, step

LINE = step("line", start=[0, 0, 0], end=[100, 0, 0], points=9)
FINE = {"width": 20, "sides": 96}
PI = np.pi


def shape(*steps, frame=0, others=(), **more) -> Mesh:
    return evaluate(scene(figure(*steps), *others, **more), frame).drawables[0].mesh


def area(mesh) -> float:
    return float(np.linalg.norm(mesh.face_vectors, axis=1).sum() / 2)


def euler(mesh) -> int:
    return len(mesh.points) - len(mesh.topology.face_edges) + mesh.topology.face_count


@pytest.mark.parametrize("smooth", [True, False])
@pytest.mark.parametrize(("ends", "caps"), [("flat", 0.0), ("round", 4 / 3 * PI * 1000)])
def test_a_straight_tube_is_a_closed_cylinder_with_its_ends(ends, caps, smooth):
    mesh = shape(LINE, step("tube", ends=ends, smooth=smooth, **FINE))
    assert mesh.topology.is_closed
    assert euler(mesh) == 2
    assert volume(mesh) == pytest.approx(PI * 100 * 100 + caps, rel=3e-3)


def test_open_ends_are_two_borders():
    mesh = shape(LINE, step("tube", ends="open", **FINE))
    assert not mesh.topology.is_closed
    assert area(mesh) == pytest.approx(2 * PI * 10 * 100, rel=1e-3)


def test_a_tube_around_a_circle_is_a_torus():
    mesh = shape(step("circle", radius=50, points=128), step("tube", **FINE))
    assert mesh.topology.is_closed
    assert euler(mesh) == 0
    assert volume(mesh) == pytest.approx(2 * PI * PI * 50 * 100, rel=3e-3)
    assert area(mesh) == pytest.approx(4 * PI * PI * 50 * 10, rel=3e-3)


def test_volume_converges_as_sides_grow():
    errors = []
    for sides in (8, 16, 32, 64):
        mesh = shape(LINE, step("tube", width=20, sides=sides, ends="flat"))
        errors.append(abs(volume(mesh) - PI * 100 * 100))
    assert all(after < before / 3.5 for before, after in zip(errors, errors[1:], strict=False))


def test_corners_are_mitred_so_that_every_stretch_keeps_its_width():
    mesh = shape(step("polygon", radius=50, sides=4), step("tube", width=10, sides=4, smooth=False, turn=45))
    side = 50 * np.sqrt(2)
    outer, inner = side + 10 / np.sqrt(2), side - 10 / np.sqrt(2)
    assert volume(mesh) == pytest.approx((outer**2 - inner**2) * 10 / np.sqrt(2), rel=1e-4)


@given(st.integers(0, 10_000), st.floats(1, 120), st.integers(3, 24), st.booleans())
@settings(max_examples=40, deadline=None)
def test_no_ring_reaches_beyond_the_one_beside_it(seed, width, count, closed):
    points = np.random.default_rng(seed).normal(size=(count, 3)).cumsum(axis=0) * 40
    mesh = swept(Mesh.curves(points, [count], closed), round_section(8, True), np.full(count, width), "open")
    rings = mesh.points.reshape(count, 8, 3).astype(np.float64)
    steps = np.diff(mesh.points.reshape(count, 8, 3).astype(np.float64), axis=0)
    ways = np.diff(points, axis=0)
    # Along its stretch no side runs backwards.
    forward = np.einsum("nkc,nc->nk", steps, ways / np.linalg.norm(ways, axis=1, keepdims=True))
    assert np.isfinite(rings).all()
    assert forward.min() > -1e-2 * width


@pytest.mark.parametrize("seed", range(8))
def test_ends_are_whole_however_short_the_last_stretch_is(seed):
    """A ring at an end stands at a right angle to its stretch: it leans over nothing, so nothing is taken of it."""
    points = 8 * np.random.default_rng(seed).normal(size=(5, 3)) + [[0, 0, 12 * k] for k in range(5)]
    points[-1] = points[-2] + 0.2 * (points[-1] - points[-2])
    made = swept(Mesh.curves(points, [5], False), round_section(24, True), np.full(5, 9.0), "open")
    ends = made.points.reshape(5, 24, 3)[[0, -1]] - points[[0, -1], None]
    np.testing.assert_allclose(np.linalg.norm(ends, axis=2), 4.5, rtol=1e-5)


def test_a_closed_curve_is_as_thick_wherever_it_begins():
    """Rings that others shorten, those at the beginning of the curve among them."""
    points = np.random.default_rng(6).normal(size=(9, 3))
    thick = []
    for begin in range(9):
        turned = np.roll(points, -begin, axis=0)
        made = swept(Mesh.curves(turned, [9], True), round_section(64, True), np.full(9, 2.5))
        away = np.linalg.norm(made.points.reshape(9, 64, 3) - turned[:, None], axis=2)
        thick.append(np.roll(away.mean(axis=1), begin))
    np.testing.assert_allclose(thick, np.tile(thick[0], (9, 1)), rtol=0.02)
    assert np.ptp(thick[0]) > 0.2 * thick[0].max()


def test_sides_stay_upright_over_tens_of_thousands_of_turns():
    points = np.cumsum(np.random.default_rng(4).normal(size=(40_000, 3)), axis=0)
    (ways, sides, planes, rolls, steps), along = frames(points, [0, 40_000], [False])
    np.testing.assert_allclose((sides * sides).sum(axis=1), 1, atol=1e-9)
    np.testing.assert_allclose((sides * ways).sum(axis=1), 0, atol=1e-12)
    np.testing.assert_allclose(steps[:-1], np.linalg.norm(np.diff(points, axis=0), axis=1))
    np.testing.assert_allclose((planes * planes).sum(axis=1), 1, atol=1e-12)
    np.testing.assert_allclose(along[:-1], (np.cumsum(steps) - steps)[:-1] / steps.sum(), atol=1e-6)
    assert along[-1] == 1
    assert not rolls.any()


def test_frames_neither_flip_nor_gather_turns_on_a_long_coil():
    mesh = shape(step("helix", turns=12, radius=60, height=300, points=900), step("ribbon", width=10))
    edges = mesh.points.reshape(-1, 2, 3).astype(np.float64)
    across = edges[:, 1] - edges[:, 0]
    across /= np.linalg.norm(across, axis=1, keepdims=True)
    assert (across[1:] * across[:-1]).sum(axis=1).min() > 0.99


def test_a_closed_curve_in_space_comes_back_to_its_first_side():
    angle = np.linspace(0, 2 * PI, 240, endpoint=False)
    knot = np.stack([np.sin(angle) + 2 * np.sin(2 * angle), np.cos(angle) - 2 * np.cos(2 * angle), -np.sin(3 * angle)])
    mesh = swept(Mesh.curves(knot.T * 40, [240], True), round_section(12, True), np.full(240, 8.0))
    rings = mesh.points.reshape(240, 12, 3)
    steps = np.linalg.norm(np.roll(rings, -1, axis=0) - rings, axis=2)
    # No quad is twisted: the first side follows the last as any other follows the one before.
    assert steps[-1].max() < 1.3 * steps[:-1].max()


def test_width_goes_by_formulas_profiles_and_fields():
    taper = shape(LINE, step("tube", width=formula("20 * (1 - along)"), sides=64, ends="flat"))
    assert volume(taper) == pytest.approx(PI * 100 * 100 / 3, rel=1e-2)
    thick = shape(LINE, step("tube", thick="in the middle", ends="flat", **FINE))
    radii = np.linalg.norm(thick.points[:, 1:], axis=1)
    np.testing.assert_allclose([radii[np.isclose(thick.points[:, 0], x)].max() for x in (0, 50, 100)], [0, 10, 0],
                               atol=1e-4)  # fmt: skip
    drawn = shape(LINE, step("tube", thick="as drawn", profile=[[0, 0.5], [1, 0.25]], ends="flat", **FINE))
    radii = np.linalg.norm(drawn.points[:, 1:], axis=1)
    np.testing.assert_allclose([radii[np.isclose(drawn.points[:, 0], x)].max() for x in (0, 100)], [5, 2.5], atol=1e-4)
    right = field("Right", clause("between", start=50, end=10_000, axis="x", fade=0))
    limited = shape(LINE, step("tube", "right", ends="flat", **FINE), fields=[right])
    assert volume(limited) < 0.7 * PI * 100 * 100


def test_a_drawn_section_is_swept_as_wide_as_asked():
    star = figure(step("polygon", radius=7, sides=5, inner=0.5), name="Star")
    mesh = shape(LINE, step("tube", width=30, section="star", ends="flat"), others=[star])
    assert mesh.topology.is_closed
    assert max(np.ptp(mesh.points[:, 1]), np.ptp(mesh.points[:, 2])) == pytest.approx(30, rel=1e-3)
    closed = section_of(np.array([[0, 0], [4, 0], [4, 2], [0, 2.0]]), True)
    assert volume(swept(Mesh.curves([[0, 0, 0], [0, 0, 50]], [2], False), closed, np.full(2, 8.0))) == pytest.approx(
        8 * 4 * 50, rel=1e-4
    )


def test_a_ribbon_lies_in_the_plane_of_a_flat_curve_and_winds_as_asked():
    flat = shape(step("circle", radius=50, points=64), step("ribbon", width=10))
    np.testing.assert_allclose(flat.points[:, 2], 0, atol=1e-4)
    assert area(flat) == pytest.approx(2 * PI * 50 * 10, rel=1e-2)
    wound = shape(LINE, step("ribbon", width=10, winds=180))
    across = np.diff(wound.points.reshape(-1, 2, 3), axis=1)[:, 0]
    assert across[0] @ across[-1] == pytest.approx(-100, abs=1e-3)
    assert across[0] @ across[4] == pytest.approx(0, abs=1e-3)


def test_textures_lie_once_around_and_once_along_without_a_seam_between():
    mesh = shape(step("circle", radius=50, points=64), step("tube", **FINE))
    quads = mesh.uvs.reshape(-1, 4, 2)
    assert np.ptp(quads[:, :, 0], axis=1).max() < 1.5 / 96
    assert np.ptp(quads[:, :, 1], axis=1).max() < 1.5 / 64
    assert (quads.min(axis=(0, 1)) == 0).all()
    np.testing.assert_allclose(quads.max(axis=(0, 1)), 1)


def test_points_carry_on_what_their_curves_did():
    curve = Mesh.curves([[0, 0, 0], [10, 0, 0], [20, 0, 0]], [3], False)
    curve = Mesh(curve.points, curve.topology, colours=np.eye(3), opacity=[1, 0.5, 0.2],
                 at_points=curve.at_points.with_(age=[1.0, 2.0, 3.0]))  # fmt: skip
    mesh = swept(curve, round_section(6, True), np.full(3, 2.0), "round")
    middle = np.isclose(mesh.points[:, 0], 10)
    np.testing.assert_allclose(mesh.at_points["age"][middle], 2)
    np.testing.assert_allclose(mesh.colours[middle], [[0, 1, 0]] * 6)
    np.testing.assert_allclose(mesh.opacity[mesh.points[:, 0] > 20], 0.2)


@pytest.mark.parametrize(
    ("points", "closed"),
    [
        ([[0, 0, 0]], False),
        ([[1, 1, 1]] * 5, True),
        ([[0, 0, 0], [10, 0, 0]], True),
        ([[0, 0, 0], [10, 0, 0], [0, 0, 0]], False),
        ([[0, 0, 0], [0, 0, 0], [10, 0, 0], [10, 0, 0], [10, 10, 0]], False),
        ([[0, 0, 0], [10, 0, 0], [0, 0, 0], [10, 0, 0]], True),
    ],
)
@pytest.mark.parametrize("ends", ["flat", "round", "open"])
def test_curves_without_a_length_and_those_that_turn_back_give_finite_tubes(points, closed, ends):
    curve = Mesh.curves(np.array(points, float), [len(points)], closed)
    for section in (round_section(5, True), round_section(4, False), flat_section()):
        mesh = swept(curve, section, np.full(len(points), 3.0), ends)
        assert np.isfinite(mesh.points).all()
        assert np.isfinite(mesh.normals).all()
        # What is told of its inside is what its edges say.
        assert mesh.topology.sealed == replace(mesh.topology, sealed=False).is_closed
    if len({tuple(point) for point in points}) > 1 and ends != "open":
        assert swept(curve, round_section(5, True), np.full(len(points), 3.0), ends).topology.is_closed


@pytest.mark.parametrize("ends", ["round", "flat", "open"])
def test_tubes_that_only_move_are_joined_as_before_and_others_anew(ends):
    def made(turns, points=40, closed=False, sides=7):
        path = step("circle", points=points) if closed else step("helix", turns=turns, points=points)
        return shape(path, step("tube", width=6, sides=sides, ends=ends))

    sweep._layout_of.cache_clear()
    first, moved = made(2), made(3)
    assert len(sweep._layout_of.cache) == 1
    assert np.abs(moved.points - first.points).max() > 1
    others = [made(2, points=41), made(2, closed=True), made(2, sides=8)]
    assert len(sweep._layout_of.cache) == 4
    for other in others:
        assert len(other.points) != len(first.points) or other.topology.face_count != first.topology.face_count
    sweep._layout_of.cache_clear()
    again = made(3)
    assert again.points.tobytes() == moved.points.tobytes()
    assert again.uvs.tobytes() == moved.uvs.tobytes()
    assert again.topology.corners.tobytes() == moved.topology.corners.tobytes()


def test_places_in_pictures_are_made_when_they_are_asked_for(monkeypatch):
    made = []
    inner = sweep._Layout.uvs
    monkeypatch.setattr(sweep._Layout, "uvs", lambda self, along: made.append(1) or inner(self, along))
    mesh = shape(step("helix", points=40), step("tube", width=6), step("twist", angle=30))
    before = mesh.own_bytes
    assert len(mesh.known_uvs) == len(mesh.topology.corners)
    assert not made
    uvs = mesh.uvs
    assert mesh.uvs is uvs
    assert len(made) == 1
    assert mesh.own_bytes == before + uvs.nbytes
    assert uvs.shape == (len(mesh.topology.corners), 2)
    np.testing.assert_array_equal(mesh.with_points(mesh.points).uvs, uvs)
    # What they are made of is kept meanwhile, and counted.
    assert mesh.known_uvs in mesh.parts
    assert 40 * 4 in [part.nbytes for part in mesh.known_uvs.parts]


@pytest.mark.parametrize("seed", range(6))
def test_points_in_one_place_are_one_on_any_number_of_threads(seed):
    """Against the plain way: each point apart from the one before, and the last of a closed curve from the first."""
    random = np.random.default_rng(seed)
    sizes = random.integers(1, 9, 300)
    closed = random.random(300) < 0.5
    points = random.integers(0, 2, (sizes.sum(), 3)).astype(np.float32)
    curve = Mesh.curves(points, sizes, closed)
    made = []
    for threads in (1, 3):
        with use_threads(threads):
            made.append(swept(curve, round_section(3, True), np.full(len(points), 0.1)).points.tobytes())
    assert made[0] == made[1]
    rows = sweep._Rows.of(curve)
    kept = []
    for size, start, is_closed in zip(sizes, np.cumsum(sizes) - sizes, closed, strict=True):
        mine = [start + k for k in range(size) if k == 0 or (points[start + k] != points[start + k - 1]).any()]
        if is_closed and len(mine) > 1 and mine[-1] == start + size - 1 and (points[mine[-1]] == points[start]).all():
            mine.pop()
        kept += mine if len(mine) > 1 else []
    np.testing.assert_array_equal(np.arange(len(points))[rows.taken], kept)
    np.testing.assert_array_equal(rows.points, points[kept])


def test_how_far_along_their_curves_points_are_is_the_same_on_any_number_of_threads():
    random = np.random.default_rng(1)
    points, sizes = random.normal(size=(4000, 3)).astype(np.float32), np.full(400, 10)
    plain = Topology.of_lines(sizes, np.arange(400) % 2 == 0).lines
    # The same points in other curves, of which the last one tells.
    crossed = replace(plain, corners=random.integers(0, 4000, 4000).astype(np.int32))
    for lines in (plain, crossed):
        found = []
        for threads in (1, 3):
            with use_threads(threads):
                found.append(shares_along(points, lines).tobytes())
        assert found[0] == found[1]
    steps = np.linalg.norm(np.diff(points[10:20], axis=0), axis=1)
    np.testing.assert_allclose(
        shares_along(points, plain)[10:20], np.append(0, np.cumsum(steps)) / steps.sum(), atol=1e-6
    )
