// The outlines of what is not drawn but has a place: regions, planes, sectors. Each is a list of lines of points.

const STEPS = 48;

function circle(at) {
  return Array.from({ length: STEPS + 1 }, (_, k) => at((k / STEPS) * 2 * Math.PI));
}

const around = {
  x: (r, x = 0) => circle((a) => [x, Math.cos(a) * r, Math.sin(a) * r]),
  y: (r, y = 0) => circle((a) => [Math.cos(a) * r, y, Math.sin(a) * r]),
  z: (r, z = 0) => circle((a) => [Math.cos(a) * r, Math.sin(a) * r, z]),
};

/** Lines of a region's form within -1..1. */
export function regionLines(form, thickness = 0.3) {
  if (form === "ball") return [around.x(1), around.y(1), around.z(1)];
  if (form === "block") {
    const square = (z) => [
      [-1, -1, z],
      [1, -1, z],
      [1, 1, z],
      [-1, 1, z],
      [-1, -1, z],
    ];
    return [
      square(-1),
      square(1),
      ...[
        [-1, -1],
        [1, -1],
        [1, 1],
        [-1, 1],
      ].map(([x, y]) => [
        [x, y, -1],
        [x, y, 1],
      ]),
    ];
  }
  const sides = (top, foot) =>
    [
      [1, 0],
      [0, 1],
      [-1, 0],
      [0, -1],
    ].map(([x, z]) => [
      [x * top, 1, z * top],
      [x * foot, -1, z * foot],
    ]);
  if (form === "column") return [around.y(1, 1), around.y(1, -1), ...sides(1, 1)];
  if (form === "funnel") return [around.y(1, 1), ...sides(1, 0)];
  const half = thickness / 2;
  return [around.y(1), around.y(1 - thickness), around.y(1 - half, half), around.y(1 - half, -half)];
}

/** A square across an axis, `size` wide, at a place on it. */
export function planeLines(axis, at, size) {
  const k = "xyz".indexOf(axis);
  const corner = (a, b) => {
    const point = [0, 0, 0];
    point[k] = at;
    point[(k + 1) % 3] = a * size;
    point[(k + 2) % 3] = b * size;
    return point;
  };
  return [[corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)]];
}

/** A point on the circle about an axis. */
export function onCircle(axis, degrees, radius) {
  const k = "xyz".indexOf(axis);
  const point = [0, 0, 0];
  point[(k + 1) % 3] = Math.cos((degrees * Math.PI) / 180) * radius;
  point[(k + 2) % 3] = Math.sin((degrees * Math.PI) / 180) * radius;
  return point;
}

/** The two sides and the arc of a sector. */
export function sectorLines(axis, middle, width, radius) {
  const [from, to] = [middle - width / 2, middle + width / 2];
  const arc = Array.from({ length: STEPS + 1 }, (_, k) => onCircle(axis, from + ((to - from) * k) / STEPS, radius));
  return [[[0, 0, 0], ...arc, [0, 0, 0]]];
}

/** Three circles of a radius around a place. */
export function ballLines(middle, radius) {
  return [around.x(radius), around.y(radius), around.z(radius)].map((line) =>
    line.map((point) => point.map((value, axis) => value + middle[axis])),
  );
}

/** A camera as a pyramid that opens towards what it sees, along -z, with a mark at its upper edge. */
export function cameraLines(half, high, far) {
  const corner = (x, y) => [x * half, y * high, -far];
  const frame = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)];
  return [
    frame,
    ...frame.slice(0, 4).map((point) => [[0, 0, 0], point]),
    [corner(-0.2, 1), corner(0, 1.25), corner(0.2, 1)],
  ];
}
