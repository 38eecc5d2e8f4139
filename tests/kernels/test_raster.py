"""The rasteriser against brute force: every pixel tried against every triangle."""

import numpy as np
import pytest

from pirouette.data import Mesh, Topology
from pirouette.data.picture import Drawable, DrawnLook, Picture, View
from pirouette.document import read_scene
from pirouette.document.things import FrameSettings
from pirouette.evaluate import evaluate
from pirouette.evaluate.looks import own_tints
from pirouette.kernels.render.cluster import MAX_TRIANGLES, Clusters
from pirouette.kinds.looks.surface import SurfaceSettings
from pirouette.render import render_light
from pirouette.render.sample import Sample
from tests.scenes import document, figure, look, step

SIZE = (96, 64)
VIEW = View.looking([0, 0, 100], [0, 0, 0], 0, 36)


def picture_of(points, faces, colours=None, is_flat=True):
    """A picture of triangles whose points carry colours, before black."""
    mesh = Mesh(points, Topology.of_faces(faces, len(points)), is_flat=is_flat)
    settings = SurfaceSettings({"colour": "#ffffff"}).resolve()
    look = DrawnLook("surface", settings, None, own_tints(colours, None))
    drawable = Drawable("a", "A", mesh, np.eye(4, dtype=np.float32)[None, :3], (look,), "")
    frame = {"width": SIZE[0], "height": SIZE[1], "colour": "#000000"}
    return Picture(0, (drawable,), VIEW, (), FrameSettings(frame).resolve(), ())


def brute_force(points, faces, colours):
    """What each pixel's middle sees, in float64 and without any clever step."""
    width, height = SIZE
    matrix = VIEW.screen_matrix(width, height)
    clip = points.astype(np.float64) @ matrix[:, :3].T + matrix[:, 3]
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    nearest = np.zeros((height, width))
    shown = np.zeros((height, width, 3))
    margin = np.full((height, width), np.inf)
    for face in faces:
        corners = clip[face]
        moved = corners[:, None, None, :2] - corners[:, None, None, 2:] * np.stack([x, y], -1)
        ahead, behind = np.roll(moved, -1, axis=0), np.roll(moved, -2, axis=0)
        b = ahead[..., 0] * behind[..., 1] - ahead[..., 1] * behind[..., 0]
        total = b.sum(axis=0)
        with np.errstate(all="ignore"):
            b = b / total
        inside = (b >= 0).all(axis=0)
        with np.errstate(all="ignore"):
            depth = 1 / np.einsum("khw,k->hw", b, corners[:, 2])
        beside = (b > -0.02).all(axis=0)
        margin = np.where(beside, np.minimum(margin, np.nan_to_num(np.abs(b).min(axis=0), nan=0)), margin)
        wins = inside & (depth > nearest)
        nearest[wins] = depth[wins]
        shown[wins] = np.einsum("khw,kc->hwc", b, colours[face])[wins]
    return shown, margin


def random_triangles(count, size, seed):
    rng = np.random.default_rng(seed)
    middles = rng.uniform([-50, -35, -40], [50, 35, 30], (count, 1, 3))
    points = (middles + rng.normal(size=(count, 3, 3)) * size).reshape(-1, 3).astype(np.float32)
    return points, np.arange(count * 3).reshape(-1, 3), rng.random((count * 3, 3)).astype(np.float32)


@pytest.mark.parametrize(("count", "size"), [(3, 30), (40, 12), (300, 2), (300, 0.5), (12, 40)])
def test_every_pixel_sees_what_brute_force_sees(count, size):
    points, faces, colours = random_triangles(count, size, count)
    points[:, 2] = np.minimum(points[:, 2], 80)
    ours = render_light(picture_of(points, faces, colours), SIZE, 1, True)[..., :3]
    truth, margin = brute_force(points, faces, colours)
    # Positions are rounded to 1/256 pixel: right at an edge either side may be seen.
    clear = margin > 0.02
    wrong = np.abs(ours - truth).max(axis=-1) > 0.03
    assert clear.mean() > 0.2
    assert (wrong & clear).mean() < 0.004


def test_triangles_through_the_eye_are_cut_at_its_plane():
    points = np.array([[-30, -20, 50], [30, -20, 50], [0, 400, 400]], np.float32)
    picture = picture_of(points, [[0, 1, 2]], np.ones((3, 3), np.float32))
    ours = render_light(picture, SIZE, 4, True)[..., 0]
    assert np.isfinite(ours).all()
    assert (ours > 0.5).mean() > 0.05


def test_a_huge_triangle_fills_the_picture():
    points = np.array([[-1e6, -1e6, -500], [1e6, -1e6, -500], [0, 2e6, -500]], np.float32)
    ours = render_light(picture_of(points, [[0, 1, 2]], np.ones((3, 3), np.float32)), SIZE, 2, True)
    np.testing.assert_allclose(ours[..., 0], 1, atol=1e-5)


def test_triangles_without_area_draw_nothing():
    points = np.array([[0, 0, 0], [10, 0, 0], [20, 0, 0], [5, 5, 0]], np.float32)
    ours = render_light(picture_of(points, [[0, 1, 2], [3, 3, 3]], np.ones((4, 3), np.float32)), SIZE, 4, True)
    assert ours[..., 0].max() == 0


def test_of_two_triangles_in_one_place_one_is_seen_whole():
    points = np.array([[-20, -20, 0], [20, -20, 0], [0, 20, 0]] * 2, np.float32)
    colours = np.repeat([[1, 0, 0], [0, 1, 0]], 3, axis=0).astype(np.float32)
    ours = render_light(picture_of(points, [[0, 1, 2], [3, 4, 5]], colours), SIZE, 1, True)
    assert min(ours[..., 0].max(), ours[..., 1].max()) == 0


def grid(n):
    u, v = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0))
    points = np.stack([u.ravel(), v.ravel(), np.sin(u.ravel())], axis=1).astype(np.float32)
    first = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel()
    return points, np.stack([first, first + 1, first + n + 2, first + n + 1], axis=1)


@pytest.mark.parametrize("is_quick", [False, True])
@pytest.mark.parametrize("n", [1, 5, 40])
def test_clusters_hold_every_triangle_once(n, is_quick):
    points, faces = grid(n)
    triangles = Topology.of_faces(faces, len(points)).triangles
    clusters = Clusters(triangles, len(points), is_quick)
    sizes = np.diff(clusters.triangle_offsets)
    assert sizes.sum() == len(triangles)
    assert sizes.max() <= MAX_TRIANGLES
    assert np.diff(clusters.member_offsets).max() <= 255
    found = np.concatenate(
        [
            clusters.members[clusters.member_offsets[c] + clusters.local[:, a:b].T.astype(int)]
            for c, (a, b) in enumerate(zip(clusters.triangle_offsets, clusters.triangle_offsets[1:], strict=False))
        ]
    )
    np.testing.assert_array_equal(found, clusters.triangles)
    np.testing.assert_array_equal(clusters.triangles, triangles[clusters.order])
    np.testing.assert_array_equal(np.sort(clusters.order), np.arange(len(triangles)))


@pytest.mark.parametrize("is_quick", [False, True])
def test_balls_and_cones_hold_their_clusters(is_quick):
    points, faces = grid(30)
    topology = Topology.of_faces(faces, len(points))
    clusters = Clusters(topology.triangles, len(points), is_quick)
    balls, cones = clusters.enclose(points)
    for c in range(clusters.count):
        members = clusters.members[clusters.member_offsets[c] : clusters.member_offsets[c + 1]]
        away = np.linalg.norm(points[members] - balls[c, :3], axis=1)
        assert away.max() <= balls[c, 3] * 1.001
        a, b, d = (
            points[clusters.triangles[clusters.triangle_offsets[c] : clusters.triangle_offsets[c + 1], k]]
            for k in range(3)
        )
        normals = np.cross(b - a, d - a)
        normals /= np.linalg.norm(normals, axis=1)[:, None]
        if cones[c, 3] < 1.5:
            assert (normals @ cones[c, :3]).min() >= np.sqrt(1 - cones[c, 3] ** 2) - 1e-4


def test_no_triangles_make_no_clusters():
    clusters = Clusters(np.zeros((0, 3), np.int32), 5)
    assert clusters.count == 0
    assert clusters.enclose(np.zeros((5, 3)))[0].shape == (0, 4)


@pytest.mark.parametrize("samples", [1, 2, 3, 4, 7, 16])
@pytest.mark.parametrize("size", [0.3, 2, 9])
def test_each_sample_is_covered_where_it_lies_inside(samples, size):
    """Shares of pixels against every sample tried against every triangle: eight at a time misses and adds none."""
    points, faces, colours = random_triangles(60, size, 5)
    picture = picture_of(points, faces, np.ones_like(colours))
    ours = render_light(picture, SIZE, samples, True)[..., 0]
    matrix = VIEW.screen_matrix(*SIZE)
    clip = points.astype(np.float64) @ matrix[:, :3].T + matrix[:, 3]
    corners = np.floor(clip[:, :2] / clip[:, 2:] * 256 + 0.5)[faces]
    offsets = Sample.pattern(samples).offsets
    x, y = np.meshgrid(np.arange(SIZE[0]) * 256.0, np.arange(SIZE[1]) * 256.0)
    share = np.zeros(x.shape)
    on_edge = np.zeros(x.shape, bool)
    for dx, dy in offsets:
        at = np.stack([x + dx, y + dy], -1)
        ahead = np.roll(corners, -1, axis=1)[:, :, None, None] - corners[:, :, None, None]
        away = at - corners[:, :, None, None]
        sides = ahead[..., 0] * away[..., 1] - ahead[..., 1] * away[..., 0]
        area = sides.sum(axis=1, keepdims=True)
        inside = ((sides * area > 0).all(axis=1)).any(axis=0)
        # float32 may round a corner to the next 1/256: only samples that near to an edge may differ.
        reach = np.linalg.norm(ahead, axis=-1) * 1.5
        on_edge |= ((np.abs(sides) <= reach).any(axis=1)).any(axis=0)
        share += inside / samples
    np.testing.assert_allclose(ours[~on_edge], share[~on_edge], atol=1e-5)
    assert (~on_edge & (share > 0)).sum() > 3 or size < 1
    assert np.abs(ours - share).mean() < 0.02


def wall_and_crowd(has_crowd):
    """A plane before 300 balls that it hides, or the plane alone."""
    wall = {"id": "plane", "kind": "plane", "settings": {"width": 400, "height": 400, "across": 40, "up": 40}}
    crowd = [step("sphere", radius=6), step("grid", columns=10, rows=10, layers=3, apart=[14, 14, 14])]
    hidden = {**figure(*crowd, name="Crowd"), "place": {"position": [0, 0, -60]}}
    shown = [hidden] if has_crowd else []
    return evaluate(read_scene(document(*shown, figure(wall, name="Wall"))), 0)


@pytest.mark.parametrize("samples", [1, 5])
def test_what_is_hidden_is_left_out_without_a_trace(samples):
    alone = render_light(wall_and_crowd(False), (160, 90), samples)
    both = render_light(wall_and_crowd(True), (160, 90), samples)
    np.testing.assert_array_equal(alone, both)


@pytest.mark.parametrize("samples", [1, 3])
def test_the_nearest_is_seen_in_whatever_order_it_comes(samples):
    """Balls of three colours, each behind the last and larger: what is left out is never one that can be seen."""
    balls = [
        {
            **figure(step("sphere", radius=10 + 8 * k), looks=[look("surface", colour=colour)], name=f"B{k}"),
            "place": {"position": [20 * k, 0, -30 * k]},
        }
        for k, colour in enumerate(("#ff0000", "#00ff00", "#0000ff"))
    ]
    one = render_light(evaluate(read_scene(document(*balls)), 0), (160, 90), samples, True)
    other = render_light(evaluate(read_scene(document(*balls[::-1])), 0), (160, 90), samples, True)
    np.testing.assert_allclose(one, other, atol=1e-6)
    for channel in range(3):
        assert (one[..., channel] > 0.9).sum() > 5


def test_clusters_of_a_sheet_are_about_as_wide_as_high():
    points, faces = grid(64)
    points[:, 2] = 0
    triangles = Topology.of_faces(faces, len(points)).triangles
    balls, _ = Clusters(triangles, len(points)).enclose(points)
    # 128 triangles are a patch of 8 by 8: a row of 64 squares would have a radius of 32.
    assert np.median(balls[:, 3]) < 9
    # Corners that were left over between the patches lie far apart, and are no cluster together.
    assert balls[:, 3].max() < 16


def test_quick_clusters_go_as_the_list_goes_unless_it_jumps():
    points, faces = grid(64)
    triangles = Topology.of_faces(faces, len(points)).triangles
    quick = Clusters(triangles, len(points), is_quick=True)
    np.testing.assert_array_equal(quick.order, np.arange(len(triangles)))
    mixed = triangles[np.random.default_rng(1).permutation(len(triangles))]
    balls, _ = Clusters(mixed, len(points), is_quick=True).enclose(points * [1, 1, 0])
    assert np.median(balls[:, 3]) < 9


def shards(order):
    """Four hundred pairs of triangles that share an edge, and no two pairs a point, in some order of triangles."""
    pairs = np.arange(1600).reshape(400, 4)
    triangles = np.concatenate([pairs[:, [0, 1, 2]], pairs[:, [0, 2, 3]]])
    return triangles[order], 1600


def test_pieces_that_follow_each_other_share_clusters():
    triangles, count = shards(np.arange(800).reshape(2, 400).T.ravel())
    sizes = np.diff(Clusters(triangles, count).triangle_offsets)
    # 63 pairs have 252 points of their own; a cluster holds 255.
    assert sizes[:-1].min() >= 126


def test_pieces_that_lie_apart_in_the_list_are_not_a_cluster_each():
    triangles, count = shards(np.random.default_rng(3).permutation(800))
    clusters = Clusters(triangles, count)
    assert clusters.count < 100
    np.testing.assert_array_equal(np.sort(clusters.order), np.arange(800))
