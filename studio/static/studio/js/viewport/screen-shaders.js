// The shaders of the passes that make a picture of linear light into what is on the screen.

import { BRIGHT } from "./bright.js";
import { GROUND } from "./ground.js";

export const SCREEN_VERTEX = `
  precision highp float;
  out vec2 at;
  void main() {
    at = vec2(gl_VertexID == 1 ? 2.0 : 0.0, gl_VertexID == 2 ? 2.0 : 0.0);
    gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0);
  }
`;

// What is picked or ghosted at a place of the picture, and the most of its four neighbours.
const MASK = `
  float mask(vec2 p) { return texture(uMask, p).r; }
  float around(vec2 p, vec2 w) {
    vec2 x = vec2(w.x, 0.0), y = vec2(0.0, w.y);
    return max(max(mask(p + x), mask(p - x)), max(mask(p + y), mask(p - y)));
  }
`;

// What lies behind everything shows where a picture is not covered; a picture that went through finishes holds it already.
const GROUNDED = `
  #define AROUND
  ${GROUND}
  uniform vec3 uRight, uUp, uForward;
  uniform vec2 uTangent;
  uniform float uHasGround;
  vec2 inFrame;
  vec3 grounded(vec4 c) {
    vec2 beside = ((uFrame.xy + inFrame * uFrame.zw) * 2.0 - 1.0) * uTangent;
    vec3 way = normalize(uForward + beside.x * uRight + beside.y * uUp);
    return c.rgb + (1.0 - c.a) * groundAt(inFrame.y, way) * (1.0 - uHasGround);
  }
  // How much of what is behind the whole picture it hides.
  float coverOf(vec4 c) { return uHasGround > 0.5 || uBackground == 2 ? c.a : 1.0; }
`;

export const BRIGHT_FRAGMENT = `
  precision highp float;
  uniform sampler2D uPicture;
  uniform float uKnee;
  in vec2 at;
  out vec4 colour;
  ${GROUNDED}
  // What of a light is above the knee; it starts gently.
  vec3 above(vec3 c) {
    float peak = max(c.r, max(c.g, c.b));
    float over = max(peak - uKnee, 0.0);
    return uKnee > 0.0 ? c * (over / (peak + 1e-6) * min(over / uKnee, 1.0)) : c;
  }
  vec4 read(vec2 p) {
    vec4 c = texture(uPicture, p);
    return vec4(grounded(c), c.a);
  }
  void main() {
    inFrame = (at - uFrame.xy) / uFrame.zw;
    // Two by two readings between pixels are the tent of four by four that the renderer halves with.
    vec2 step_ = 0.75 / vec2(textureSize(uPicture, 0));
    vec4 left = 0.5 * (read(at - step_) + read(at + vec2(-step_.x, step_.y)));
    vec4 right = 0.5 * (read(at + step_) + read(at + vec2(step_.x, -step_.y)));
    colour = 0.5 * (vec4(above(left.rgb), left.a) + vec4(above(right.rgb), right.a));
  }
`;

/** A pass that carries out finishes; `declarations` and `code` are theirs, in their order. It leaves linear light. */
export function finishFragment(declarations, code) {
  return `
  precision highp float;
  uniform sampler2D uPicture;
  in vec2 at;
  out vec4 colour;
  ${GROUNDED}
  ${declarations}
  void main() {
    inFrame = (at - uFrame.xy) / uFrame.zw;
    vec4 c = texelFetch(uPicture, ivec2(gl_FragCoord.xy), 0);
    vec3 rgb = grounded(c);
    float cover = coverOf(c);
    ${code}
    colour = vec4(rgb, cover);
  }
`;
}

// A mean is made of light that is rolled off, see bright.js, with what is behind it.
export const MEAN_FRAGMENT = `
  precision highp float;
  uniform sampler2D uPicture, uBefore;
  uniform float uShare;
  in vec2 at;
  out vec4 colour;
  ${GROUNDED}
  ${BRIGHT}
  void main() {
    inFrame = (at - uFrame.xy) / uFrame.zw;
    vec4 c = texelFetch(uPicture, ivec2(gl_FragCoord.xy), 0);
    vec3 rgb = grounded(c);
    colour = mix(texelFetch(uBefore, ivec2(gl_FragCoord.xy), 0), vec4(rgb * rolledOff(rgb), coverOf(c)), uShare);
  }
`;

/** What brings such a mean back. */
export const ROLLED_ON_FRAGMENT = finishFragment(BRIGHT, "rgb *= rolledOn(rgb);");

// What of a picture shows some figures, and how much of it does.
export const MARKED_FRAGMENT = `
  precision highp float;
  uniform sampler2D uPicture, uCover;
  in vec2 at;
  out vec4 colour;
  ${GROUNDED}
  void main() {
    inFrame = (at - uFrame.xy) / uFrame.zw;
    float share = texture(uCover, at).r;
    colour = vec4(grounded(texelFetch(uPicture, ivec2(gl_FragCoord.xy), 0)) * share, share);
  }
`;

export const COPY_FRAGMENT = `
  precision highp float;
  uniform sampler2D uPicture;
  in vec2 at;
  out vec4 colour;
  void main() { colour = texture(uPicture, at); }
`;

// What a screen shows where a picture is clear, and beside the frame.
const CHECKS = `
  vec3 checks() {
    vec2 cell = floor(gl_FragCoord.xy / 10.0);
    return mix(vec3(0.15), vec3(0.19), mod(cell.x + cell.y, 2.0));
  }
  vec3 beside(vec3 rgb) { return rgb * 0.22 + vec3(0.03, 0.034, 0.037); }
`;

// A picture of what is in the frame, straight from its file.
export const FRAMED_FRAGMENT = `
  precision highp float;
  uniform sampler2D uPicture;
  uniform vec4 uFrame;
  in vec2 at;
  out vec4 colour;
  ${CHECKS}
  void main() {
    vec2 inFrame = (at - uFrame.xy) / uFrame.zw;
    vec4 c = texture(uPicture, inFrame);
    vec3 rgb = c.rgb * c.a + (1.0 - c.a) * checks();
    bool outside = inFrame.x < 0.0 || inFrame.x > 1.0 || inFrame.y < 0.0 || inFrame.y > 1.0;
    colour = vec4(outside ? beside(vec3(0.0)) : rgb, 1.0);
  }
`;

export const DOUBLE_FRAGMENT = `
  precision highp float;
  uniform sampler2D uSmall, uLarge;
  uniform float uKeep, uAdd;
  in vec2 at;
  out vec4 colour;
  void main() {
    vec4 before = uKeep > 0.0 ? texture(uLarge, at) * uKeep : vec4(0.0);
    colour = before + texture(uSmall, at) * uAdd;
  }
`;

/** The last pass: the finishes that are left, then what a screen shows, the checks behind clear parts, and outlines. */
export const screenFragment = (declarations, code) => `
  precision highp float;
  uniform sampler2D uPicture, uMask;
  uniform float uSelected, uChecks;
  uniform vec2 uPixel;
  in vec2 at;
  out vec4 colour;
  ${GROUNDED}
  ${declarations}
  ${MASK}
  ${CHECKS}
  // The sRGB curve by three square roots, within half a step of 8 bits: powers are slow where there is no graphics card.
  vec3 encode(vec3 c) {
    vec3 a = sqrt(c);
    vec3 b = sqrt(a);
    return mix(c * 12.92, 0.585122381 * a + 0.783140355 * b - 0.368262736 * sqrt(b), step(0.0031308, c));
  }
  void main() {
    inFrame = (at - uFrame.xy) / uFrame.zw;
    vec4 c = texelFetch(uPicture, ivec2(gl_FragCoord.xy), 0);
    vec3 rgb = grounded(c);
    float cover = coverOf(c);
    ${code}
    if (cover < 1.0) cover = clamp(max(cover, max(rgb.r, max(rgb.g, rgb.b))), 0.0, 1.0);
    rgb = encode(clamp(rgb, 0.0, 1.0));
    if (cover < 1.0 && uChecks > 0.5) rgb = rgb + (1.0 - cover) * checks();
    bool outside = inFrame.x < 0.0 || inFrame.x > 1.0 || inFrame.y < 0.0 || inFrame.y > 1.0;
    if (outside) rgb = beside(rgb);
    if (uSelected > 0.5) {
      float own = mask(at);
      float inner = around(at, uPixel);
      float middle = around(at, uPixel * 2.7);
      float outer = around(at, uPixel * 2.7 * 1.48);
      float near = inner - own;
      float far = outer - max(middle, own);
      if (near > 0.5 && own < 0.5) rgb = vec3(0.937, 0.914, 0.863);
      else if (far > 0.5 && own < 0.5) rgb = mix(rgb, vec3(0.937, 0.914, 0.863), 0.55);
    }
    colour = vec4(rgb, 1.0);
  }
`;

// A figure of another frame: its shape filled faintly, with an outline that is dotted where it was and plain where it will be.
export const GHOST_FRAGMENT = `
  precision highp float;
  uniform sampler2D uMask;
  uniform float uStrength, uDotted;
  uniform vec2 uPixel;
  in vec2 at;
  out vec4 colour;
  ${MASK}
  void main() {
    float own = mask(at);
    float edge = own < 0.5 ? around(at, uPixel) : 0.0;
    float spot = mod(floor(gl_FragCoord.x) + floor(gl_FragCoord.y), 6.0) < 3.0 ? 1.0 : 0.0;
    edge *= mix(1.0, spot, uDotted);
    float fill = own * mix(0.05, 0.03, uDotted);
    colour = vec4(0.333, 0.722, 0.647, max(edge, fill) * uStrength);
    if (colour.a <= 0.0) discard;
  }
`;
