"""The peer of the raster benches: the same pictures drawn by the system's software OpenGL."""

import moderngl
import numpy as np

from pirouette.render.stage import light_rows

SURFACE_VERTEX = """
#version 330
uniform mat4 clip;
in vec3 point; in vec3 normal; in vec4 row0; in vec4 row1; in vec4 row2;
out vec3 world; out vec3 turned;
void main() {
  world = vec3(dot(row0, vec4(point, 1)), dot(row1, vec4(point, 1)), dot(row2, vec4(point, 1)));
  turned = vec3(dot(row0.xyz, normal), dot(row1.xyz, normal), dot(row2.xyz, normal));
  gl_Position = clip * vec4(world, 1);
}
"""
# The light of kernels/render/light.py for one sun.
SURFACE_FRAGMENT = """
#version 330
uniform vec3 eye; uniform vec3 own; uniform float rough; uniform float metal;
uniform vec3 sky[3]; uniform vec3 way; uniform vec3 sun;
uniform float opacity; in vec3 world; in vec3 turned; out vec4 colour;
float fifth(float x) { return x * x * x * x * x; }
void main() {
  vec3 v = normalize(eye - world);
  vec3 n = normalize(turned);
  float facing = max(dot(n, v), 1e-4);
  vec3 base = mix(vec3(0.04), own, metal);
  vec3 dull = own * (1.0 - metal);
  vec3 around = mix(sky[2], sky[0], 0.5 + 0.5 * n.y) * 0.6 + sky[1] * 0.4;
  float ry = 2.0 * facing * n.y - v.y;
  float rise = min(abs(ry), 1.0);
  vec3 mirrored = mix(sky[1], ry > 0.0 ? sky[0] : sky[2], rise * (2.0 - rise));
  mirrored = mix(mirrored, around, rough);
  vec3 light = around * dull + mirrored * (base + (max(vec3(1.0 - rough), base) - base) * fifth(1.0 - facing));
  vec3 between = normalize(way + v);
  float nl = max(dot(n, way), 0.0);
  float nh = max(dot(n, between), 0.0);
  float a = rough * rough;
  float k = a * 0.5;
  float d = nh * nh * (a * a - 1.0) + 1.0;
  float shine = a * a / (d * d + 1e-9) * 0.25 / ((nl * (1.0 - k) + k) * (facing * (1.0 - k) + k) + 1e-6);
  light += sun * nl * (dull + shine * (base + (1.0 - base) * fifth(1.0 - max(dot(v, between), 0.0))));
  colour = vec4(light * opacity, opacity);
}
"""
LINE_VERTEX = """
#version 330
uniform mat4 clip; uniform vec2 size; uniform float width;
in vec3 a; in vec3 b;
out float across;
void main() {
  int corner = gl_VertexID;
  float end = float(corner / 2); float side = float(corner % 2) * 2.0 - 1.0;
  vec4 p = clip * vec4(a, 1); vec4 q = clip * vec4(b, 1);
  vec2 way = normalize((q.xy / q.w - p.xy / p.w) * size);
  vec4 at = end < 0.5 ? p : q;
  at.xy += vec2(-way.y, way.x) * side * (width * 0.5 + 1.0) / size * 2.0 * at.w;
  across = side * (width * 0.5 + 1.0);
  gl_Position = at;
}
"""
LINE_FRAGMENT = """
#version 330
uniform float width; in float across; out vec4 colour;
void main() { float c = clamp(width * 0.5 + 0.5 - abs(across), 0.0, 1.0); colour = vec4(vec3(0.9) * c, 0.0); }
"""


class SoftwareGl:
    """A context of its own on Mesa's software renderer, with a float target and depth."""

    def __init__(self, width, height, samples):
        self.size = width, height
        self.context = moderngl.create_context(standalone=True, backend="egl", libgl="libGL.so.1", libegl="libEGL.so.1")
        many = samples if samples > 1 else 0
        colour = self.context.renderbuffer(self.size, 4, dtype="f2", samples=many)
        depth = self.context.depth_renderbuffer(self.size, samples=many)
        self.target = self.context.framebuffer([colour], depth)
        self.single = self.context.framebuffer([self.context.renderbuffer(self.size, 4, dtype="f2")])
        self.samples = many

    def _clip(self, picture):
        """The picture's own camera as a matrix for OpenGL."""
        width, height = self.size
        rows = picture.view.screen_matrix(width, height)
        near, far = 1.0, 20000.0
        x = rows[0] * 2 / width - rows[2]
        y = rows[2] - rows[1] * 2 / height
        z = rows[2] * (far + near) / (far - near) - np.array([0, 0, 0, 2 * far * near / (far - near)])
        return np.stack([x, y, z, rows[2]]).T.astype("f4").tobytes()

    def _light(self, program, picture):
        rows = light_rows(picture)
        (sun,) = rows["suns"]
        sky = rows["skies"][:, :9].sum(axis=0).reshape(3, 3)
        settings = picture.drawables[0].looks[0].settings
        program["eye"].value = tuple(picture.view.position)
        program["own"].value = tuple(settings.colour)
        program["rough"].value, program["metal"].value = settings.roughness, settings.metal
        program["sky"].value = [tuple(row) for row in sky.tolist()]
        program["way"].value, program["sun"].value = tuple(sun[:3]), tuple(sun[3:6])

    def picture(self):
        """Return (H, W, 4) float16: what was drawn last, with one sample for each pixel."""
        drawn = np.frombuffer(self.target.read(components=4, dtype="f2"), np.float16)
        return drawn.reshape(self.size[1], self.size[0], 4)[::-1]

    def _finish(self):
        if self.samples:
            self.context.copy_framebuffer(self.single, self.target)
            return self.single.read(components=1, dtype="f2", viewport=(0, 0, 1, 1))
        return self.target.read(components=1, dtype="f2", viewport=(0, 0, 1, 1))

    def surface(self, picture, opacity=1.0):
        """Return a call that draws a picture's one surface, lit; its copies over each other, the farthest first."""
        (drawable,) = picture.drawables
        mesh = drawable.mesh
        program = self.context.program(vertex_shader=SURFACE_VERTEX, fragment_shader=SURFACE_FRAGMENT)
        program["clip"].write(self._clip(picture))
        self._light(program, picture)
        program["opacity"].value = opacity
        away = np.linalg.norm(drawable.matrices[:, :, 3] - picture.view.position, axis=1)
        matrices = drawable.matrices if opacity == 1 else drawable.matrices[np.argsort(-away)]
        buffer = self.context.buffer
        array = self.context.vertex_array(
            program,
            [
                (buffer(mesh.points.tobytes()), "3f", "point"),
                (buffer(mesh.normals.tobytes()), "3f", "normal"),
                (buffer(matrices.tobytes()), "4f 4f 4f/i", "row0", "row1", "row2"),
            ],
            index_buffer=buffer(mesh.topology.triangles.tobytes()),
        )
        if opacity == 1:
            self.context.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        else:
            self.context.enable(moderngl.BLEND)
            self.context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA

        def draw():
            self.target.use()
            self.target.clear()
            array.render(instances=len(drawable.matrices))
            return self._finish()

        return draw

    def lines(self, picture):
        """Return a call that draws a picture's wires as additive, anti-aliased quads."""
        (drawable,) = picture.drawables
        ends = drawable.mesh.points[drawable.mesh.topology.edges]
        program = self.context.program(vertex_shader=LINE_VERTEX, fragment_shader=LINE_FRAGMENT)
        program["clip"].write(self._clip(picture))
        program["size"].value = self.size
        program["width"].value = 1.5
        array = self.context.vertex_array(program, [(self.context.buffer(ends.tobytes()), "3f 3f/i", "a", "b")])
        self.context.enable(moderngl.DEPTH_TEST | moderngl.BLEND)
        self.context.blend_func = moderngl.ONE, moderngl.ONE
        count = len(ends)

        def draw():
            self.target.use()
            self.target.clear()
            array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=count)
            return self._finish()

        return draw

    def close(self):
        self.context.release()
