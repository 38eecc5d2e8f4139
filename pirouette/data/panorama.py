"""Pictures all around: what lights a scene from everywhere, in all the ways that it is asked for."""

from dataclasses import dataclass

import numpy as np
import scipy

from ..kernels.compile import frozen
from ..kernels.render.around import LEVELS, ROUGHEST, Around, roughness_of
from ..kernels.render.around_levels import blur_all, blur_near, unroll, ways
from ..kernels.threads import in_slices
from .texture import shrunk

# The sharp square has at least so many pixels at each side and at most; its equator is as fine as the picture.
LEAST_SIDE, MOST_SIDE = 64, 2048
# Squares of mirrors, the rougher the fewer pixels; of these the first few are told from a few ways each.
SIDES = (MOST_SIDE, 512, 256, 128, 64, 64, 32, 32, 32)
WAYS = {1: 32, 2: 64, 3: 128}
# The square that all others are told from.
COARSE_SIDE = 128
# Suns are looked for in a square of this size. They are so many times as bright as half of all ways,
# hold such a share of all light, and are no wider than this.
SUN_SIDE, SUN_BRIGHT, SUN_SHARE, SUN_WIDE_DEG = 256, 8.0, 0.03, 40.0
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True, eq=False)
class PanoramaSun:
    """A bright place of a picture that lights as a sun does.

    way       (3,) float64, towards it: as long as 1
    colour    (3,) float64: how bright a white surface is that faces it
    wide_deg  how wide it is seen
    """

    way: np.ndarray
    colour: np.ndarray
    wide_deg: float


@dataclass(frozen=True, eq=False)
class Panorama:
    """A picture all around as squares, see kernels/render/around.py.

    key     names the contents
    around  its levels, as kernels read them; that behind everything shows the suns, the others do not
    suns    its brightest places, the brightest first
    """

    key: str
    around: Around
    suns: tuple[PanoramaSun, ...]

    @classmethod
    def of(cls, light: np.ndarray, key: str, most_suns: int = 0) -> "Panorama":
        """Make the levels of (H, W, 3) float32 light, whose columns go once around and whose rows from top to ground.

        most_suns  so many of its brightest places are told apart as suns, if it has any
        """
        side = LEAST_SIDE
        while side < min(light.shape[1] / np.sqrt(8), MOST_SIDE):
            side *= 2
        step = max(1, int(light.shape[1] / np.sqrt(8) / side))
        whole = _unrolled(shrunk(light, step, step) if step > 1 else light, side)
        sharp, suns = _without_suns(whole, most_suns)
        sizes = [sharp]
        while len(sizes[-1]) > LEAST_SIDE // 2:
            sizes.append(shrunk(sizes[-1], 2, 2))
        coarse = next(size for size in sizes if len(size) <= COARSE_SIDE)
        levels = [sharp]
        levels += [
            _blurred_near(sizes, min(SIDES[k], side), roughness_of(k) ** 2, WAYS[k])
            if k in WAYS
            else _blurred_all(coarse, min(SIDES[k], side), roughness_of(k) ** 2)
            for k in range(1, ROUGHEST + 1)
        ]
        return cls(key, _in_a_row([*levels, whole] if suns else levels, LEVELS), tuple(suns))

    @property
    def levels(self) -> tuple[np.ndarray, ...]:
        """LEVELS squares (side + 2, side + 2, 3) float32."""
        texels, firsts, sides = self.around
        return tuple(
            texels[first : first + 3 * (side + 2) ** 2].reshape(side + 2, side + 2, 3)
            for first, side in zip(firsts, sides, strict=True)
        )

    @property
    def own_bytes(self) -> int:
        return sum(array.nbytes for array in self.around)


def around_of(panoramas) -> Around:
    """Return one panorama or several as kernels read them; a single one is not copied."""
    if len(panoramas) == 1:
        return panoramas[0].around
    each = [one.around for one in panoramas]
    starts = np.cumsum([0, *(len(one.texels) for one in each)])
    return Around(
        frozen(np.concatenate([one.texels for one in each])),
        frozen(np.concatenate([one.firsts + start for one, start in zip(each, starts, strict=False)]), np.int64),
        frozen(np.concatenate([one.sides for one in each]), np.int64),
    )


def _in_a_row(squares, count) -> Around:
    """Squares, each with its rim, one after the other; those that are missing in the end are the first one again."""
    rimmed = [bordered(square) for square in squares]
    starts = np.cumsum([0, *(square.size for square in rimmed)])[:-1]
    numbers = [k if k < len(squares) else 0 for k in range(count)]
    return Around(
        frozen(np.concatenate([square.reshape(-1) for square in rimmed])),
        frozen(starts[numbers], np.int64),
        frozen([len(squares[k]) for k in numbers], np.int64),
    )


def _square(side, fill):
    square = np.empty((side, side, 3), np.float32)
    in_slices(lambda start, stop: fill(start, stop, square), side, 8)
    return square


def _unrolled(light, side):
    light = frozen(light)
    return _square(side, lambda start, stop, out: unroll(light, side, start, stop, out))


def bordered(square: np.ndarray) -> np.ndarray:
    """Return a square with one pixel more at each side: what lies beyond the fold there."""
    out = np.pad(square, ((1, 1), (1, 1), (0, 0)))
    out[0, 1:-1], out[-1, 1:-1] = square[0, ::-1], square[-1, ::-1]
    out[1:-1, 0], out[1:-1, -1] = square[::-1, 0], square[::-1, -1]
    out[[0, 0, -1, -1], [0, -1, 0, -1]] = square[[-1, -1, 0, 0], [-1, 0, -1, 0]]
    return out


def _ways_of(side):
    out = np.empty((side * side, 4), np.float32)
    ways(side, out)
    return frozen(out)


def _blurred_all(coarse, side, wide):
    source, light = _ways_of(len(coarse)), frozen(coarse.reshape(-1, 3))
    return _square(side, lambda start, stop, out: blur_all(source, light, side, np.float32(wide), start, stop, out))


def _blurred_near(sizes, side, wide, count):
    """Ways from halves that are spread as GGX has them, each read in the size whose pixels are as wide as its share."""
    around = _in_a_row(sizes, len(sizes))
    number = np.arange(count)
    share = (number + 0.5) / count
    cos = np.sqrt((1 - share) / (1 + (wide * wide - 1) * share))
    turn = number * np.pi * (3 - np.sqrt(5))
    dot = 2 * cos * cos - 1
    across = 2 * cos * np.sqrt(1 - cos * cos)
    points = np.stack([across * np.cos(turn), across * np.sin(turn), dot], axis=1)
    weights = np.maximum(dot, 0)
    # Ways are spread by D(h) · (n·h) / 4 (v·h); seen straight on, v is n.
    inside = cos * cos * (wide * wide - 1) + 1
    solid = 4 * np.pi * inside * inside / (wide * wide) / count
    pixel = 4 * np.pi / len(sizes[0]) ** 2
    picks = np.clip(np.round(0.5 * np.log2(solid / pixel) + 0.5), 0, len(sizes) - 1)
    points, weights, picks = frozen(points), frozen(weights / weights.sum()), frozen(picks, np.int64)
    return _square(side, lambda start, stop, out: blur_near(around, points, weights, picks, side, start, stop, out))


def _without_suns(whole, most):
    """A square without the light of its brightest places, and these as suns."""
    side, suns = len(whole), []
    sharp = whole
    for _ in range(most):
        found = _brightest(sharp)
        if found is None:
            break
        mask, ceiling = found
        scale = side // len(mask)
        mask = np.repeat(np.repeat(mask, scale, axis=0), scale, axis=1)
        bright = np.maximum(sharp @ LUMINANCE, 1e-9)
        kept = np.where(mask, np.minimum(1, ceiling / bright), 1).astype(np.float32)
        suns.append(_sun_of(sharp * (1 - kept)[..., None]))
        sharp = sharp * kept[..., None]
    return sharp, sorted(suns, key=lambda sun: -float(sun.colour @ LUMINANCE))


def _brightest(sharp):
    """Where the brightest place of a square is, and how bright what is around it; None if it is no sun."""
    step = max(1, len(sharp) // SUN_SIDE)
    coarse = shrunk(sharp, step, step) if step > 1 else sharp
    bright = coarse @ LUMINANCE
    around = _ways_of(len(coarse)).reshape(*bright.shape, 4).astype(float)
    solid = around[..., 3]
    peak = np.unravel_index(int(bright.argmax()), bright.shape)
    ceiling = max(SUN_BRIGHT * float(np.median(bright)), 1e-6)
    while ceiling < bright[peak]:
        labels, _ = scipy.ndimage.label(bright > ceiling, structure=np.ones((3, 3)))
        mask = labels == labels[peak]
        wide = np.degrees(2 * np.arccos(max(-1.0, 1 - solid[mask].sum() / (2 * np.pi))))
        if wide <= SUN_WIDE_DEG:
            break
        # What it stands in is bright, too.
        ceiling *= 2
    else:
        return None
    if float(((bright - ceiling) * solid)[mask].sum()) < SUN_SHARE * float((bright * solid).sum()):
        return None
    # With a rim, so that what is smooth between its pixels goes with it.
    return scipy.ndimage.binary_dilation(mask, iterations=1), ceiling


def _sun_of(light):
    """The sun that shines as some of the light of a square does."""
    around = _ways_of(len(light)).astype(float)
    energy = light.reshape(-1, 3) * around[:, 3:]
    weights = energy @ LUMINANCE.astype(float)
    way = weights @ around[:, :3]
    bright = light.reshape(-1, 3) @ LUMINANCE
    solid = float(around[bright > bright.max() / 2, 3].sum())
    wide = np.degrees(2 * np.arccos(max(-1.0, 1 - solid / (2 * np.pi))))
    return PanoramaSun(way / np.linalg.norm(way), energy.sum(axis=0) / np.pi, float(wide))
