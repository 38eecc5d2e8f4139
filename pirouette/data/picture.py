"""The picture list: everything that is drawn at one frame, for the view and the renderer alike."""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from .bytes import arrays_in
from .mesh import Mesh
from .texture import Paint

SENSOR_MM = 36.0
# Widths in px are those of a picture 1080 lines high, so that a small proof looks like the large render.
REFERENCE_LINES = 1080

# About what the numbers of a look take.
SETTINGS_BYTES = 4096

# Columns of tints: what a copy's or point's colour is multiplied with, how much of it is there, how strongly it glows.
TINT_RGB, TINT_OPACITY, TINT_GLOW, TINT_SIZE = slice(0, 3), 3, 4, 5


@dataclass(frozen=True, eq=False)
class DrawnLook:
    """A look with its settings at this frame.

    tints        (K, 5) float32 for the copies, or None where all are 1; columns as named above
    point_tints  (V, 5) float32 for the points, or None; both are multiplied
    widths       (K,) float32: how many times as wide lines and dots are on each copy; None where all are 1
    point_widths (V,) float32 likewise at each point, or None; both are multiplied
    paint        what a surface's colour is multiplied with at each place, or None
    mesh         what it is drawn on where that is finer than the mesh of the others, or None; V are its points
    """

    kind: str
    settings: object
    tints: np.ndarray | None = None
    point_tints: np.ndarray | None = None
    paint: Paint | None = None
    widths: np.ndarray | None = None
    point_widths: np.ndarray | None = None
    mesh: Mesh | None = None

    @property
    def own_bytes(self) -> int:
        return SETTINGS_BYTES + arrays_in(self)

    @property
    def parts(self) -> tuple:
        return tuple(one for one in (self.paint, self.mesh) if one is not None)


@dataclass(frozen=True, eq=False)
class Drawable:
    """One mesh at K places, drawn with the looks of its figure.

    part      a figure of several meshes is several drawables, counted from 0
    matrices  (K, 3, 4) float32, to the world
    reach     None, or the weights of a chosen field: (K,) for copies, (V,) for a mesh drawn once
    cut       None, or where it is seen: "only through" or "only outside", and the figure that this is said of
    """

    figure_id: str
    name: str
    mesh: Mesh
    matrices: np.ndarray
    looks: tuple[DrawnLook, ...]
    places_key: str
    part: int = 0
    reach: np.ndarray | None = None
    cut: tuple[str, str] | None = None

    @property
    def own_bytes(self) -> int:
        return self.matrices.nbytes + (0 if self.reach is None else self.reach.nbytes)

    @property
    def parts(self) -> tuple:
        return (self.mesh, *self.looks)

    @property
    def apart(self) -> tuple["Drawable", ...]:
        """The same, and apart from it what is drawn on a finer mesh, one for all such looks; its part is below 0."""
        # What is told of a drawable is remembered with it, so those apart from it stay the same, too.
        return (self,) if all(look.mesh is None for look in self.looks) else self._apart

    @cached_property
    def _apart(self):
        finer = tuple(look for look in self.looks if look.mesh is not None)
        plain = replace(self, looks=tuple(look for look in self.looks if look.mesh is None))
        return plain, replace(self, mesh=finer[0].mesh, looks=finer, part=-1 - self.part)

    def drawn_by(self, look: DrawnLook) -> "Drawable":
        """The same on the mesh that one of its looks is drawn on."""
        return self if look.mesh is None else replace(self, mesh=look.mesh)


def _cross(a, b):
    """The cross product of two vectors (3,); numpy's own is made for many of them."""
    return np.array([a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]])


@dataclass(frozen=True, eq=False)
class View:
    """A camera at this frame.

    position, forward, right, up  (3,) float64 in the world; the last three are unit vectors
    tangent                       half the picture's width at distance 1
    shift                         where the line of sight meets the picture, from its middle at distance 1, to the
                                  right and up: not 0 beside the middle of a lens
    """

    position: np.ndarray
    forward: np.ndarray
    right: np.ndarray
    up: np.ndarray
    tangent: float
    shift: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def looking(cls, position, target, roll_deg, lens_mm, up=(0.0, 1.0, 0.0)) -> "View":
        """Make the view from a position to a target; straight up or down, `up` gives way to -z."""
        position, target = np.asarray(position, float), np.asarray(target, float)
        forward = target - position
        distance = np.linalg.norm(forward)
        forward = forward / distance if distance > 1e-9 else np.array([0.0, 0.0, -1.0])
        side = _cross(forward, up)
        if np.linalg.norm(side) < 1e-6:
            side = _cross(forward, (0.0, 0.0, -1.0))
        right = side / np.linalg.norm(side)
        above = _cross(right, forward)
        angle = np.radians(roll_deg)
        turned = right * np.cos(angle) + above * np.sin(angle)
        return cls(position, forward, turned, _cross(turned, forward), SENSOR_MM / 2 / lens_mm)

    @classmethod
    def along(cls, position, forward, up, tangent: float) -> "View":
        """Make the view along a way from a position; `forward` and `up` may have any lengths, and be askew."""
        forward, up = np.asarray(forward, float), np.asarray(up, float)
        forward = forward / max(np.linalg.norm(forward), 1e-12)
        above = up - forward * (up @ forward)
        lens_mm = SENSOR_MM / 2 / tangent
        return cls.looking(np.asarray(position, float), np.asarray(position, float) + forward, 0, lens_mm, above)

    @cached_property
    def place(self) -> np.ndarray:
        """The (4, 4) matrix from the camera's space, which looks along -z with y up, to the world."""
        matrix = np.eye(4)
        matrix[:3] = np.stack([self.right, self.up, -self.forward, self.position], axis=1)
        return matrix

    def through(self, place, focus: float) -> "View":
        """The view from a place on the lens, (2,) to the right and up of its middle: what is `focus` away stays."""
        right, up = (float(number) for number in place)
        if not right and not up:
            return self
        position = self.position + self.right * right + self.up * up
        return replace(self, position=position, shift=(self.shift[0] + right / focus, self.shift[1] + up / focus))

    def screen_matrix(self, width: int, height: int) -> np.ndarray:
        """Return (3, 4): world points to (x·w, y·w, w), x and y in pixels from the top left corner."""
        focal = width / 2 / self.tangent
        right, up = self.shift
        rows = np.stack([self.right * focal, -self.up * focal, self.forward])
        rows[0] += self.forward * (width / 2 + right * focal)
        rows[1] += self.forward * (height / 2 - up * focal)
        return np.concatenate([rows, -(rows @ self.position)[:, None]], axis=1)

    def ray_matrix(self, width: int, height: int) -> np.ndarray:
        """Return (3, 3): (x, y, 1) in pixels to the ray from the eye that is 1 long along the line of sight."""
        size = 2 * self.tangent / width
        right, up = self.shift
        middle = self.forward - self.right * (size * width / 2 + right) + self.up * (size * height / 2 - up)
        return np.stack([self.right * size, -self.up * size, middle], axis=1)


@dataclass(frozen=True)
class Lens:
    """What a camera lets in.

    shutter  for how many frames it is open; 0 for a moment
    opens    when, against the frame
    opening  how wide the lens is open, in scene units; 0 for a pinhole
    focus    the distance along the line of sight at which all is sharp
    blades   how many corners the opening has; round with less than 3
    """

    shutter: float = 0.0
    opens: str = "around the frame"
    opening: float = 0.0
    focus: float = 1.0
    blades: int = 0


def box_corners(drawable) -> np.ndarray:
    """Return (K, 8, 3) float64 corners of the boxes of a drawable's copies in the world."""
    low, high = drawable.mesh.bounds
    box = np.array(np.meshgrid(*np.stack([low, high], axis=1), indexing="ij"), np.float64).reshape(3, -1).T
    return np.einsum("kij,cj->kci", drawable.matrices[:, :, :3], box) + drawable.matrices[:, None, :, 3]


@dataclass(frozen=True, eq=False)
class DrawnLight:
    """A light with its settings at this frame.

    id            that of the scene's light; none for a bright place of a picture all around, which shines as a sun, and
                  for a lamp, which shines as a key light for what glows
    panorama      that picture
    soft          how far a lamp's faces lie apart, in scene units: nearer to it its light hardly becomes stronger
    """

    kind: str
    settings: object
    id: str = ""
    panorama: object | None = None
    soft: float = 0.0


@dataclass(frozen=True, eq=False)
class Picture:
    """All that one frame shows."""

    frame: float
    drawables: tuple[Drawable, ...]
    view: View
    lights: tuple[DrawnLight, ...]
    background: object
    finish: tuple
    lens: Lens = Lens()
    places: dict = field(default_factory=dict)
    """Where guides and figures are, and what carries them: family -> id -> (4, 4) matrix to the world."""
    masks: dict[str, tuple[Drawable, ...]] = field(default_factory=dict)
    """The shapes of the figures that others are cut by, whether they are drawn themselves or not."""

    @property
    def shapes(self) -> tuple[Drawable, ...]:
        """Everything whose edges are seen: what is drawn, and what that is cut by."""
        return (*self.drawables, *(drawable for drawables in self.masks.values() for drawable in drawables))

    @property
    def size(self) -> tuple[int, int]:
        return int(self.background.width), int(self.background.height)
