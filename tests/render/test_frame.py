"""One way to a frame: shutter, lens and layers against closed forms, and finishes that read layers."""

from dataclasses import replace

import numpy as np
import pytest

from pirouette import catalogue
from pirouette.craft import ActingSettings
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light, render_scene
from pirouette.render.blurs import lens_blur, motion_px
from pirouette.render.frame import lens_places, picture_count
from pirouette.schema import Kind, number
from tests.scenes import document, figure, formula, keyed, look, scene, step

SIZE = (320, 180)
WHITE = [look("surface", colour="#ffffff")]


def camera(**settings):
    """A camera 360 away; with 36 mm, 320 pixels are 360 units wide in the middle."""
    return [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 360], "lens": 36, **settings}}]


def dots(place, size=8, **more):
    looks = [look("dots", colour="#ffffff", size=size, unit="px", softness=0)]
    return document(figure(step("line", points=2), step("displace", strength=0), looks=looks, place=place), **more)


def tile(place, side=9.0, **more):
    looks = [look("surface", colour="#000000", glow=1, glow_colour="#ffffff")]
    return document(figure(step("plane", width=side, height=side), looks=looks, place=place), lights=[], **more)


def moving(speed, **settings):
    """A square of 8 by 8 pixels that moves so many pixels a frame to the right, in the middle at frame 10."""
    units = speed * 360 / 320
    position = [formula(f"{units} * (frame - 10)"), 0, 0]
    return read_scene(tile({"position": position}, clock={"loops": False}, cameras=camera(**settings)))


def test_the_streak_of_a_moving_square_is_a_trapezium():
    """Seen for two frames at 20 pixels a frame: full light is spread over 40 + 8 pixels, evenly but for its ends."""
    light = render_scene(moving(20, shutter=2), 10, SIZE, 8).light[90, :, 0]
    x = np.arange(320) + 0.5 - 160
    # The share of the time for which a square 8 wide covers a pixel whose middle is at x.
    wanted = np.clip((24 - np.abs(x)) / 8, 0, 1) * 8 / 40
    assert light.sum() == pytest.approx(8, rel=0.01)
    assert np.abs(light - wanted).max() < 0.03


def test_a_quick_picture_leaves_out_what_takes_rays_and_time_and_nothing_else():
    still = render_scene(moving(20), 10, SIZE, 1).light
    quick = render_scene(moving(20, shutter=2), 10, SIZE, 1, is_quick=True).light
    assert quick.tobytes() == still.tobytes()
    assert render_scene(moving(20, shutter=2), 10, SIZE, 1).light.tobytes() != still.tobytes()
    # A shadow is the only thing that two pictures of a ball over a floor differ by.
    ball = figure(step("sphere", radius=40), name="Ball", looks=WHITE, place={"position": [0, 60, 0]})
    floor = figure(step("plane", width=600, height=600, facing="y"), name="Floor", looks=WHITE)
    sun = [{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"above": 90, "width": 0}}]

    def lit(shadows, **more):
        lights = [{**sun[0], "settings": {**sun[0]["settings"], "shadows": shadows}}]
        lens = {"position": [0, 200, 500], "target": [0, 30, 0]}
        cameras = [{"id": "camera", "name": "Camera", "settings": lens}]
        return render_scene(read_scene(document(ball, floor, lights=lights, cameras=cameras)), 0, SIZE, 1, **more).light

    assert np.abs(lit(True) - lit(False)).max() > 0.1
    assert lit(True, is_quick=True).tobytes() == lit(False).tobytes()


@pytest.mark.parametrize(
    ("opens", "middle"), [("before the frame", -10), ("around the frame", 0), ("after the frame", 10)]
)
def test_the_shutter_opens_before_around_or_after_the_frame(opens, middle):
    light = render_scene(moving(20, shutter=1, opens=opens), 10, SIZE, 8).light[90, :, 0]
    x = np.arange(320) + 0.5 - 160
    assert (light * x).sum() / light.sum() == pytest.approx(middle, abs=0.5)


def test_what_stands_still_is_the_same_with_any_shutter():
    still, open_long = moving(0), moving(0, shutter=8)
    np.testing.assert_array_equal(render_scene(still, 10, SIZE, 8).light, render_scene(open_long, 10, SIZE, 8).light)


def test_a_deforming_form_blurs_too():
    bend = step("displace", along="y", strength=keyed((0, 0), (20, 200)), size=500)
    raw = document(figure(step("sphere", radius=40), bend, looks=WHITE), clock={"loops": False},
                   cameras=camera(shutter=2))  # fmt: skip
    blurred = render_scene(read_scene(raw), 10, SIZE, 8).light
    raw["cameras"] = camera()
    sharp = render_scene(read_scene(raw), 10, SIZE, 8).light
    assert np.abs(blurred - sharp).max() > 0.2


def test_a_moving_camera_blurs_what_stands_still():
    along = formula("9 * frame")
    moves = camera(shutter=1, position=[along, 0, 360], target=[along, 0, 0])
    raw = tile({}, cameras=moves, clock={"loops": False})
    light = render_scene(read_scene(raw), 0, SIZE, 8).light[90, :, 0]
    assert (light > 0.01).sum() == pytest.approx(8 + 8, abs=2)


@pytest.mark.parametrize("opens", ["before the frame", "around the frame", "after the frame"])
def test_the_shutter_stays_open_across_the_seam(opens):
    """A square that goes round once in a loop leaves the same streak at its first frame as half a round later."""
    turning = {"rotation": [0, 0, keyed((0, 0), (96, 360))]}
    arm = (step("plane", width=9, height=9), step("row", count=1), step("shift", place=[60, 0, 0]))
    looks = [look("surface", colour="#000000", glow=1, glow_colour="#ffffff")]
    raw = document(figure(*arm, looks=looks, place=turning), lights=[], cameras=camera(shutter=6, opens=opens))
    first, half = (render_scene(read_scene(raw), frame, SIZE, 8).light[..., 0] for frame in (0, 48))
    # Sampling is not the same upside down, so means of ten by ten pixels are compared; their largest is 0.25.
    coarse = [light.reshape(18, 10, 32, 10).mean(axis=(1, 3)) for light in (first, half[::-1, ::-1])]
    np.testing.assert_allclose(*coarse, atol=0.03)
    assert (first > 0.05).sum() > 2 * 8 * 8


@pytest.mark.parametrize("away", [120, -180])
def test_the_circle_of_confusion_is_as_wide_as_the_lens_makes_it(away):
    """A point at distance d through an opening a focused at f is a · F · |1/f − 1/d| pixels wide."""
    opening, focus = 20, 360
    raw = tile({"position": [0, 0, -away]}, side=0.6, cameras=camera(opening=opening, focus=focus))
    opened = read_scene(raw)
    light = render_scene(opened, 0, SIZE, 8).light[..., 0]
    wanted = opening * 320 * abs(1 / focus - 1 / (focus + away))
    assert lens_blur(evaluate(opened, 0), (320, 180)) == pytest.approx(wanted, rel=0.01)
    y, x = np.mgrid[0:180, 0:320] + 0.5
    radius = np.sqrt((light * ((x - 160) ** 2 + (y - 90) ** 2)).sum() / light.sum())
    # The mean square distance within an even disc of diameter D is D² / 8.
    assert radius == pytest.approx(wanted / 8**0.5, rel=0.12)
    assert light.sum() == pytest.approx((0.6 * 320 / (focus + away)) ** 2, rel=0.25)


def test_what_lies_in_focus_stays_sharp_through_an_open_lens():
    sharp = render_scene(read_scene(tile({}, cameras=camera())), 0, SIZE, 8).light
    front = figure(step("box", width=5), looks=WHITE, place={"position": [60, 40, 200]}, name="Near")
    raw = tile({}, cameras=camera(opening=20))
    raw["figures"].append(front)
    opened = render_scene(read_scene(raw), 0, SIZE, 8).light
    assert np.abs(opened[80:100, 140:180] - sharp[80:100, 140:180]).max() < 0.1


def test_shutter_and_lens_together_cost_no_more_than_the_dearer_of_them(monkeypatch):
    drawn = []
    inner = render_light
    monkeypatch.setattr("pirouette.render.frame.render_light", lambda *a, **k: drawn.append(1) or inner(*a, **k))
    counts = []
    for settings in ({"shutter": 2}, {"opening": 30, "focus": 200}, {"shutter": 2, "opening": 30, "focus": 200}):
        drawn.clear()
        render_scene(moving(20, **settings), 10, SIZE, 8)
        counts.append(len(drawn))
    assert counts[2] == max(counts[:2])
    assert counts[0] > 8


GUIDES = {"near": [0, 0, 500], "far": [250, -90, -300]}


def test_places_on_the_lens_fill_the_disc_evenly():
    places = lens_places(200)
    radius = np.hypot(*places.T)
    assert radius.max() < 1
    assert (radius**2).mean() == pytest.approx(0.5, abs=0.01)
    assert np.abs(places.mean(axis=0)).max() < 0.02


@pytest.mark.parametrize("blades", [3, 6, 9])
def test_places_on_a_lens_with_blades_fill_its_polygon_evenly(blades):
    places = lens_places(600, blades)
    # Within each of its sides, which are so far from its middle; near all of them, and in every corner.
    ways = np.pi / 2 + np.pi * (2 * np.arange(blades) + 1) / blades
    reach = places @ np.stack([np.cos(ways), np.sin(ways)])
    assert reach.max() <= np.cos(np.pi / blades)
    assert reach.max(axis=0).min() > np.cos(np.pi / blades) * 0.97
    assert (np.hypot(*places.T) ** 2).mean() == pytest.approx((2 + np.cos(2 * np.pi / blades)) / 6, rel=0.02)
    assert np.abs(places.mean(axis=0)).max() < 0.02


def test_what_a_camera_focuses_on_stays_sharp_as_it_moves():
    """A thing off the line of sight: what counts is how far along that line it is."""
    near, far = ({"id": name, "name": name, "place": {"position": place}} for name, place in GUIDES.items())
    cameras = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 600], "focus_on": "far", "focus": 5}}]
    drawn = evaluate(scene(figure(step("box")), guides=[near, far], cameras=cameras), 0)
    assert drawn.lens.focus == pytest.approx(900)
    assert drawn.lens.blades == 0
    keyed = {"sort": "keyed", "keys": [{"frame": 0, "value": -300}, {"frame": 10, "value": 100}]}
    far["place"]["position"] = [250, -90, keyed]
    drawn = evaluate(scene(figure(step("box")), guides=[near, far], cameras=cameras), 10)
    assert drawn.lens.focus == pytest.approx(500)


def test_more_motion_takes_more_pictures_within_a_limit():
    counts = [picture_count(pixels) for pixels in (0.1, 5, 60, 1500, 10_000)]
    assert counts[0] == 1
    assert counts == sorted(counts)
    assert counts[-2:] == [1000, 2048]
    assert picture_count(10_000, is_disc=True) == 256


def test_a_long_way_shows_no_steps():
    """A square of 16 pixels that comes 600 in a frame leaves an even streak: it never moves on by more than a tenth."""
    units = 600 * 360 / 320
    raw = tile({"position": [formula(f"{units} * (frame - 10)"), 0, 0]}, side=18, clock={"loops": False},
               cameras=camera(shutter=1))  # fmt: skip
    streak = render_scene(read_scene(raw), 10, SIZE, 8).light[90, 20:300, 0]
    assert streak.mean() == pytest.approx(16 / 600, rel=0.02)
    assert np.ptp(streak) < 0.12 * streak.mean()


def test_what_jumps_is_not_on_its_way():
    """A square that comes back to where it began in the middle of the time makes a short way, not a long one."""
    ways = {"slow": "20 * past", "jumps": "20 * past - 300 * step(0.3, past)", "fast": "300 * past"}

    def moved(text):
        units = formula(f"({text.replace('past', '(frame - 10)')}) * 360 / 320")
        opened = read_scene(tile({"position": [units, 0, 0]}, clock={"loops": False}, cameras=camera()))
        return motion_px([evaluate(opened, 10 + piece / 8) for piece in range(5)], SIZE)

    slow, jumps, fast = map(moved, ways.values())
    assert slow == pytest.approx(10, rel=0.05)
    assert jumps == pytest.approx(7.5, rel=0.05)
    assert fast == pytest.approx(150, rel=0.05)


@pytest.mark.parametrize("settings", [{}, {"shutter": 1.5}, {"opening": 20, "focus": 300}])
def test_frames_are_the_same_on_any_number_of_threads(settings):
    found = []
    for threads in (1, 2):
        with use_threads(threads):
            found.append(render_scene(moving(7, **settings), 10, (160, 90), 4).pixels().tobytes())
    assert found[0] == found[1]


# --- layers ---------------------------------------------------------------------------------------------------------


def layers_of(opened, *names, frame=0, **more):
    return render_scene(opened, frame, SIZE, 1, layers=names, **more).layers


def ball(**place):
    return figure(step("sphere", radius=60, rings=64, segments=96), looks=WHITE, name="Ball", place=place)


def test_depth_is_the_distance_along_the_line_of_sight():
    depth = layers_of(scene(ball(), cameras=camera()), "depth")["depth"]
    assert depth[90, 160] == pytest.approx(300, abs=0.2)
    assert depth[0, 0] == np.inf
    floor = figure(step("plane", width=900, height=900), looks=WHITE, place={"position": [0, 0, -40]})
    assert layers_of(scene(floor, cameras=camera()), "depth")["depth"] == pytest.approx(400, abs=0.01)


def test_positions_and_normals_lie_on_the_ball():
    found = layers_of(scene(ball(), cameras=camera()), "position", "normal")
    seen = np.linalg.norm(found["normal"], axis=-1) > 0.5
    assert seen.sum() > 5000
    radius = np.linalg.norm(found["position"][seen], axis=-1)
    assert radius == pytest.approx(60, abs=0.4)
    np.testing.assert_allclose(found["position"][seen] / radius[:, None], found["normal"][seen], atol=0.04)
    assert (found["position"][~seen] == 0).all()


def test_ids_tell_figures_apart_by_their_place_in_the_scene():
    hidden = figure(step("box"), name="Hidden", visible="hidden")
    front = figure(
        step("box", width=20, height=20, depth=20), looks=WHITE, name="Front", place={"position": [0, 0, 90]}
    )
    ids = layers_of(scene(hidden, ball(), front, cameras=camera()), "ids")["ids"]
    assert ids[90, 160] == 3
    assert ids[60, 160] == 2
    assert ids[0, 0] == 0


def test_motion_is_in_pixels_a_frame_to_the_right_and_down():
    place = {"position": [formula("9 * frame"), formula("-4.5 * frame"), 0]}
    opened = read_scene(tile(place, side=90, cameras=camera(), clock={"loops": False}))
    motion = layers_of(opened, "motion")["motion"]
    assert motion[90, 160].tolist() == pytest.approx([8, 4], abs=0.01)
    assert motion[0, 0].tolist() == [0, 0]


def test_motion_follows_points_that_are_deformed():
    # 150 high at frame 5 and 145 half a frame before: what is y high comes y / 150 · 10 a frame.
    grow = step("plane", width=100, height=formula("100 + 10 * frame"))
    opened = scene(figure(grow, looks=WHITE), cameras=camera(), clock={"loops": False})
    motion = layers_of(opened, "motion", frame=5)["motion"][60, 160]
    y = (90 - 60.5) * 360 / 320
    assert motion.tolist() == pytest.approx([0, -y / 150 * 10 * 320 / 360], abs=0.01)


def test_a_layer_that_there_is_not_is_told_of():
    with pytest.raises(ValueError, match="colour is no layer; there are depth"):
        render_scene(scene(ball()), 0, SIZE, 1, layers=("colour",))


def test_a_finish_gets_the_layers_that_its_arguments_name(monkeypatch):
    class FogSettings(ActingSettings):
        """Fog by distance."""

        reach: float = number(400, headline=True)
        """Where all is gone."""

    def fog(picture, settings, depth):
        """Lay fog over what is far."""
        share = np.clip(depth / settings.reach, 0, 1)[..., None].astype(np.float32)
        return picture * (1 - share) + share

    kind = Kind("fog", "finish", FogSettings, fog, "Fog to **{reach}**")
    monkeypatch.setattr("pirouette.document.read.FINISHES", {**catalogue.FINISHES, kind.id: kind})
    opened = scene(ball(), cameras=camera(), finish=[{"id": "fog", "kind": "fog", "settings": {"reach": 600}}])
    rendered = render_scene(opened, 0, SIZE, 1)
    assert set(rendered.layers) == {"depth"}
    assert rendered.finished[0, 0, 0] == 1
    assert rendered.finished[90, 160, 0] == pytest.approx(0.5 + rendered.light[90, 160, 0] / 2, abs=0.01)


def test_another_view_is_drawn_when_it_is_asked_for():
    opened = scene(ball(), cameras=camera(opening=50))
    view = evaluate(opened, 0).view
    aside = replace(view, position=view.position + view.right * 5000)
    assert render_scene(opened, 0, SIZE, 1, view=aside).light[..., 0].max() == 0
