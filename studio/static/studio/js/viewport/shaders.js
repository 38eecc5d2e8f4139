// The view's shaders. The light is that of pirouette/kernels/render/light.py; change both together.

import { BRIGHT } from "./bright.js";
import { HAZE } from "./ground.js";
import { PATTERN } from "./pattern.js";

const PLACE = `
  vec3 placed(vec3 share) { return uLow + share * uExtent; }
  vec4 onScreen(vec3 world) {
    vec3 away = world - uEye;
    vec3 seen = vec3(dot(away, uRight), dot(away, uUp), dot(away, uForward));
    float near = 0.5;
    float far = 60000.0;
    float z = (seen.z * (far + near) - 2.0 * far * near) / (far - near);
    return vec4(seen.x / uTangent.x, seen.y / uTangent.y, z, seen.z);
  }
`;

// What is picked: its number, and how far along the line of sight it is; see depthOf.
const PICKED = `
  vec4 picked(int number, float depth) {
    float told = clamp((log2(depth) + 10.0) / 40.0, 0.0, 1.0) * 65535.0;
    return vec4(float(number & 255), float(number >> 8), floor(mod(told, 256.0)), floor(told / 256.0)) / 255.0;
  }
`;

/** How far along the line of sight a pixel lies that was drawn to be picked; to a four-hundredth of a percent. */
export const depthOf = ([, , low, high]) => 2 ** (((low + 256 * high + 0.5) / 65535) * 40 - 10);

const UNIFORMS = `
  precision highp float;
  precision highp int;
  precision highp usampler2D;
  uniform vec3 uEye, uRight, uUp, uForward, uLow, uExtent;
  uniform vec2 uTangent, uSize, uJitter;
`;

// Of a mesh in many places, or MERGED: of all its copies as one mesh whose points are in the world already.
export const SURFACE_VERTEX = `${UNIFORMS}
  uniform int uSalt;
  uniform mat4 uLight;
  in vec4 tint;
  in float gain;
  #ifdef MERGED
  in vec3 place, facing;
  uniform int uPointCount;
  #else
  in vec4 place;
  in vec2 fold;
  in vec4 row0, row1, row2;
  in vec4 pointTint;
  in float pointGain;
  in float reach;
  #endif
  #ifdef PAINT
  #ifdef PATTERN
  in vec3 uv;
  out vec3 vPlace;
  #else
  in vec2 uv;
  uniform vec3 uAcross, uUpwards;
  out vec2 vPlace;
  #endif
  #endif
  // What nothing reads is not handed over: without a graphics card each number costs time at every face.
  out vec3 vWorld, vNormal;
  out vec4 vTint;
  #ifdef GLOWS
  out float vGain;
  #endif
  #ifdef REACH
  out float vReach;
  #endif
  #if defined(OPEN) || defined(PICK)
  flat out int vSalt;
  #endif
  ${PLACE}
  void main() {
    #ifdef MERGED
    vWorld = place;
    vNormal = facing;
    vTint = tint;
    float shine = gain;
    int copy = gl_VertexID / uPointCount;
    #else
    vec3 p = placed(place.xyz);
    vec2 f = fold * 2.0 - 1.0;
    vec3 n = vec3(f, 1.0 - abs(f.x) - abs(f.y));
    if (n.z < 0.0) n.xy = (1.0 - abs(n.yx)) * vec2(n.x >= 0.0 ? 1.0 : -1.0, n.y >= 0.0 ? 1.0 : -1.0);
    vWorld = vec3(dot(row0.xyz, p), dot(row1.xyz, p), dot(row2.xyz, p)) + vec3(row0.w, row1.w, row2.w);
    vNormal = vec3(dot(cross(row1.xyz, row2.xyz), n), dot(cross(row2.xyz, row0.xyz), n), dot(cross(row0.xyz, row1.xyz), n));
    vTint = tint * pointTint;
    float shine = gain * pointGain;
    int copy = gl_InstanceID;
    #ifdef REACH
    vReach = reach;
    #endif
    #endif
    #ifdef GLOWS
    vGain = shine;
    #endif
    #if defined(OPEN) || defined(PICK)
    // The number of the copy among all, as in the render: what lies behind each other then has unlike thresholds.
    vSalt = copy + uSalt;
    #endif
    #if defined(PATTERN)
    vPlace = uv;
    #elif defined(PAINT)
    vPlace = vec2(dot(uAcross, vec3(uv, 1.0)), 1.0 - dot(uUpwards, vec3(uv, 1.0)));
    #endif
    #ifdef CAST
    gl_Position = uLight * vec4(vWorld, 1.0);
    #else
    gl_Position = onScreen(vWorld);
    // Moved by a part of a pixel: several such pictures make one with smooth edges. Lines and dots have theirs already.
    gl_Position.xy += uJitter * gl_Position.w;
    #endif
  }
`;

// Compiled for what it draws: SUNS and KEYS, and FLAT_FACES, FLAT_LIGHT, REACH, PAINT, PATTERN, GLOWS, ADDITIVE, CLEAR (VEIL: what
// it leaves of what is behind),
// PICK or CAST (into what a light sees) where they are so; AROUND where there is a
// picture all around; SHADOWS lights throw some, first SKIES ways of the sky; CHOSEN where
// lights choose what they shine on.
export const SURFACE_FRAGMENT = `
  precision highp float;
  precision highp int;
  uniform vec3 uEye, uColour, uGlow, uSky[3];
  #if defined(SUNS) && SUNS > 0
    uniform vec4 uSunWay[SUNS], uSunColour[SUNS];
    #ifdef CHOSEN
    uniform int uSunLit[SUNS];
    #endif
  #endif
  #if defined(KEYS) && KEYS > 0
    uniform vec4 uKeyPlace[KEYS], uKeyColour[KEYS];
    uniform float uKeySlot[KEYS], uKeySoft[KEYS];
    #ifdef CHOSEN
    uniform int uKeyLit[KEYS];
    #endif
  #endif
  uniform float uRough, uMetal, uBrightness, uPhase;
  #ifdef CLEAR
  // How clear it is, and its index, from before; the same at the rim; what is left of each colour that goes through.
  uniform vec4 uClear;
  uniform vec3 uThrough;
  uniform int uClosed;
  #endif
  #ifdef WAX
  // How waxy it is; how much of each colour of what goes in comes out on the near side, and on the far one.
  uniform float uWax;
  uniform vec3 uNearSide, uFarSide;
  #endif
  uniform vec2 uSize;
  uniform int uPick, uAroundLit;
  #if defined(SHADOWS) && SHADOWS > 0
  uniform highp sampler2D uShadowMap;
  uniform mat4 uShadow[SHADOWS];
  uniform vec4 uShadowTile[SHADOWS];
  uniform float uShadowFar[SHADOWS];
  uniform int uShadowsOn, uTakes;
  #if SKIES > 0
  uniform vec3 uSkyWay[SKIES];
  #endif
  #endif
  #ifdef PAINT
  uniform sampler2D uTexture;
  uniform vec3 uPainted;
  #ifdef PATTERN
  in vec3 vPlace;
  #else
  in vec2 vPlace;
  #endif
  #endif
  ${PATTERN}
  in vec3 vWorld, vNormal;
  in vec4 vTint;
  #ifdef GLOWS
  in float vGain;
  #else
  const float vGain = 0.0;
  #endif
  #ifdef REACH
  in float vReach;
  #endif
  out vec4 colour;
  ${HAZE}
  #if defined(OPEN) || defined(PICK)
  flat in int vSalt;
  // What opacity must exceed to be seen at a pixel, another in each pass; the render lays layers in their order.
  bool isSeenThrough(float opacity) {
    if (opacity >= 1.0) return false;
    uint h = uint(gl_FragCoord.x) * 0x9E3779B1u ^ uint(uSize.y - gl_FragCoord.y) * 0x85EBCA77u ^ uint(vSalt) * 0xC2B2AE3Du;
    h = (h ^ (h >> 15)) * 0x2C1B3C6Du;
    h = (h ^ (h >> 12)) * 0x297A2D39u;
    float grain = float((h ^ (h >> 15)) >> 8) / 16777216.0;
    return opacity <= fract(grain + uPhase);
  }
  #endif
  float shine(float nh, float nl, float nv, float sharp, float wide) {
    float d = nh * nh * (wide * wide - 1.0) + 1.0;
    float lobe = sharp * wide / (d * d + 1e-9);
    float k = sharp * 0.5;
    return lobe * 0.25 / ((nl * (1.0 - k) + k) * (nv * (1.0 - k) + k) + 1e-6);
  }
  float fifth(float x) { return x * x * x * x * x; }
  #if defined(SHADOWS) && SHADOWS > 0
  // Whether a place sees the light that one of the pictures of depths belongs to.
  float isOpen(int slot, vec3 n, float facing) {
    vec4 tile = uShadowTile[slot];
    // The more a surface leans away from the light, the farther within a texel its depth changes.
    float lean = sqrt(max(1.0 - facing * facing, 0.0)) + 0.15;
    vec4 at = uShadow[slot] * vec4(vWorld + n * tile.w * lean, 1.0);
    vec3 p = at.xyz / at.w * 0.5 + 0.5;
    if (at.w <= 0.0 || any(lessThan(p, vec3(0.0))) || any(greaterThan(p, vec3(1.0)))) return 1.0;
    float size = float(textureSize(uShadowMap, 0).x);
    vec2 texel = (tile.xy + p.xy * tile.z) * size - 0.5;
    ivec2 low = ivec2(tile.xy * size);
    ivec2 high = low + ivec2(tile.z * size) - 1;
    // One of several pictures, each of which lies a little otherwise, needs no more than the nearest texel.
    if (uShadowsOn == 2) {
      float before = p.z - texelFetch(uShadowMap, clamp(ivec2(texel + 0.5), low, high), 0).r;
      return before > 1e-6 && before < uShadowFar[slot] ? 0.0 : 1.0;
    }
    // The mean of the four texels around, each as much as it is near.
    vec2 part = fract(texel);
    ivec2 first = ivec2(floor(texel));
    vec4 found;
    for (int k = 0; k < 4; k++) found[k] = texelFetch(uShadowMap, clamp(first + ivec2(k & 1, k >> 1), low, high), 0).r;
    vec4 before = p.z - found;
    vec4 isBehind = step(1e-6, before) * step(before, vec4(uShadowFar[slot]));
    vec2 rows = mix(isBehind.xz, isBehind.yw, part.x);
    return 1.0 - mix(rows.x, rows.y, part.y);
  }
  float shadow(float slot, vec3 n, float facing) {
    return slot < 0.0 || uShadowsOn == 0 || uTakes == 0 ? 1.0 : isOpen(int(slot), n, facing);
  }
  // How much of the sky is seen: in all passes together each way counts as much as it faces the surface.
  float skyShadow(vec3 n) {
    #if SKIES > 0
    if (uShadowsOn < 2 || uTakes == 0) return 1.0;
    float seen = 0.0;
    for (int k = 0; k < SKIES; k++) {
      float faces = max(dot(n, uSkyWay[k]), 0.0);
      if (faces > 0.0) seen += faces * isOpen(k, n, faces);
    }
    // Of ways all around, evenly, a quarter of their number is what a surface faces in all.
    return seen * 4.0 / float(SKIES);
    #else
    return 1.0;
    #endif
  }
  #else
  float shadow(float slot, vec3 n, float facing) { return 1.0; }
  float skyShadow(vec3 n) { return 1.0; }
  #endif
  #ifdef CAST
  void main() {
    #ifdef OPEN
    if (isSeenThrough(vTint.a)) discard;
    #endif
    colour = vec4(1.0);
  }
  #elif defined(PICK)
  ${PICKED}
  void main() {
    if (isSeenThrough(vTint.a)) discard;
    colour = picked(uPick, 1.0 / gl_FragCoord.w);
  }
  #else
  #ifdef ADDITIVE
  const float COVER = 0.0;
  #else
  const float COVER = 1.0;
  #endif
  void main() {
    #ifdef CLEAR
    // Of what is closed only the front counts, as in the render.
    vec3 side = cross(dFdx(vWorld), dFdy(vWorld));
    side *= sign(dot(side, uEye - vWorld));
    if (uClosed == 1 && dot(vNormal, side) <= 0.0) discard;
    #endif
    #if defined(VEIL) && (defined(FLAT_LIGHT) || defined(REACH))
    colour = vec4(0.0, 0.0, 0.0, 1.0);
    return;
    #endif
    float opacity = vTint.a;
    #ifdef PAINT
    #ifdef PATTERN
    vec3 paint = texture(uTexture, vec2(patternAt(vPlace) + 0.5, 0.5)).rgb;
    #else
    vec3 paint = texture(uTexture, vPlace).rgb;
    #endif
    opacity *= mix(1.0, dot(paint, vec3(1.0 / 3.0)), uPainted.z);
    #endif
    #ifdef ADDITIVE
    vec3 own = vTint.rgb * uColour;
    float whole = uBrightness * opacity;
    #else
    // Only where it must be: a shader that may discard is slower everywhere.
    #ifdef OPEN
    if (isSeenThrough(opacity)) discard;
    #endif
    vec3 own = vTint.rgb * uColour;
    float whole = uBrightness;
    #endif
    vec3 glow = vTint.rgb * uGlow * vGain;
    #ifdef PAINT
    own *= mix(vec3(1.0), paint, uPainted.x);
    glow *= mix(vec3(1.0), paint, uPainted.y);
    #endif
    #ifdef FLAT_LIGHT
    colour = vec4((own + glow) * whole, COVER);
    #else
    vec3 v = normalize(uEye - vWorld);
    #ifdef FLAT_FACES
    vec3 n = normalize(cross(dFdx(vWorld), dFdy(vWorld)));
    n = dot(n, v) < 0.0 ? -n : n;
    #else
    vec3 n = normalize(vNormal);
    #ifdef ADDITIVE
    n = dot(n, v) < 0.0 ? -n : n;
    #else
    n = gl_FrontFacing ? n : -n;
    #endif
    #endif
    #ifdef REACH
    vec3 low = vec3(0.009, 0.02, 0.02);
    vec3 high = vec3(0.55, 0.9, 0.8);
    colour = vec4(mix(low, high, vReach) * (0.45 + 0.55 * abs(dot(n, v))), 1.0);
    #else
    float facing = max(dot(n, v), 1e-4);
    float gloss = 0.04;
    #ifdef CLEAR
    vec2 clear = mix(uClear.xy, uClear.zw, (1.0 - facing) * (1.0 - facing));
    gloss = (clear.y - 1.0) / (clear.y + 1.0);
    gloss *= gloss;
    #endif
    vec3 base = mix(vec3(gloss), own, uMetal);
    vec3 dull = own * (1.0 - uMetal);
    #ifdef CLEAR
    clear.x *= 1.0 - uMetal;
    dull *= 1.0 - clear.x;
    #endif
    #ifdef WAX
    vec3 waxy = dull * uWax;
    dull -= waxy;
    #endif
    vec3 around = mix(uSky[2], uSky[0], 0.5 + 0.5 * n.y) * 0.6 + uSky[1] * 0.4;
    float ry = 2.0 * facing * n.y - v.y;
    float rise = min(abs(ry), 1.0);
    vec3 mirrored = mix(uSky[1], ry > 0.0 ? uSky[0] : uSky[2], rise * (2.0 - rise));
    mirrored = mix(mirrored, around, uRough);
    #ifdef AROUND
    if (uAroundLit > 0) {
      around += spreadAround(n);
      mirrored += mirroredAround(2.0 * facing * n - v, uRough);
    }
    #endif
    vec3 fresnel = base + (max(vec3(1.0 - uRough), base) - base) * fifth(1.0 - facing);
    #ifdef HAZE
    float seen = leftInHaze(vWorld);
    #else
    const float seen = 1.0;
    #endif
    #ifdef CLEAR
    vec3 left = (1.0 - fresnel) * uThrough * clear.x * seen;
    // The background comes last of all, over which there is no colour to dim it in.
    float cover = 1.0 - dot(left, vec3(0.2126, 0.7152, 0.0722));
    #else
    const float cover = COVER;
    #endif
    #ifdef VEIL
    // What is behind is multiplied with this, and the light of the surface is added.
    colour = vec4(left, 1.0);
    return;
    #endif
    vec3 light = (around * dull + mirrored * fresnel) * skyShadow(n);
    #ifdef WAX
    vec3 behind = mix(uSky[2], uSky[0], 0.5 - 0.5 * n.y) * 0.6 + uSky[1] * 0.4;
    #ifdef AROUND
    if (uAroundLit > 0) behind += spreadAround(-n);
    #endif
    light += waxy * (around * uNearSide * skyShadow(n) + behind * uFarSide);
    #endif
    float a = uRough * uRough;
    #if defined(SUNS) && SUNS > 0
    for (int i = 0; i < SUNS; i++) {
      #ifdef CHOSEN
      if (uSunLit[i] == 0) continue;
      #endif
      vec3 l = uSunWay[i].xyz;
      vec3 half_ = normalize(l + v);
      float nl = dot(n, l);
      #ifdef WAX
      vec3 comes = nl > 0.0 ? uNearSide : uFarSide;
      light += shadow(uSunWay[i].w, nl > 0.0 ? n : -n, abs(nl)) * uSunColour[i].rgb * abs(nl) * comes * waxy;
      #endif
      nl = max(nl, 0.0);
      float vh = max(dot(v, half_), 0.0);
      vec3 f = base + (1.0 - base) * fifth(1.0 - vh);
      if (nl <= 0.0) continue;
      light += shadow(uSunWay[i].w, n, nl) * uSunColour[i].rgb * nl * (dull + shine(max(dot(n, half_), 0.0), nl, facing, a, a) * f);
    }
    #endif
    #if defined(KEYS) && KEYS > 0
    for (int i = 0; i < KEYS; i++) {
      #ifdef CHOSEN
      if (uKeyLit[i] == 0) continue;
      #endif
      vec3 l = uKeyPlace[i].xyz - vWorld;
      float near = min(uKeyColour[i].w * inversesqrt(dot(l, l) + uKeySoft[i]), 5.0);
      float inv = 1.0 / length(l);
      l *= inv;
      float spread = min(uKeyPlace[i].w * 0.5 * inv, 1.0);
      float wrap = spread * 0.5;
      float nl = max((dot(n, l) + wrap) / (1.0 + wrap), 0.0);
      #ifdef WAX
      float towards = dot(n, l);
      vec3 comes = towards > 0.0 ? uNearSide : uFarSide;
      comes *= shadow(uKeySlot[i], towards > 0.0 ? n : -n, abs(towards)) * abs(towards);
      light += uKeyColour[i].rgb * near * near * comes * waxy;
      #endif
      vec3 half_ = normalize(l + v);
      float vh = max(dot(v, half_), 0.0);
      vec3 f = base + (1.0 - base) * fifth(1.0 - vh);
      float glint = shine(max(dot(n, half_), 0.0), nl, facing, a, min(a + spread * 0.5, 1.0));
      light += shadow(uKeySlot[i], n, clamp(dot(n, l), 0.0, 1.0)) * uKeyColour[i].rgb * near * near * nl * (dull + glint * f);
    }
    #endif
    vec3 shown = (light + glow) * whole * seen;
    #if defined(HAZE) && !defined(ADDITIVE)
    shown += (1.0 - seen) * hazeBefore(vWorld, gl_FragCoord.y / uSize.y);
    #endif
    colour = vec4(shown, cover);
    #endif
    #endif
  }
  #endif
`;

// Lines and dots: six corners for each, made from the vertex number; points are read from a texture.
export const STROKE_VERTEX = `${UNIFORMS}
  uniform usampler2D uPoints, uEdges;
  uniform sampler2D uPointTints, uPointWidths;
  uniform int uHasPointTints, uHasPointWidths;
  uniform float uHalf, uFocal, uLift;
  uniform int uUnits, uDots;
  in vec4 row0, row1, row2;
  in vec4 tint;
  in float gain, broad;
  out vec4 vTint;
  #ifdef HAZE
  // What haze shows before a line, and how much of its own light it leaves.
  out vec4 vHaze;
  #endif
  out vec2 vAlong;
  // Half widths at both ends, and how far these are apart.
  flat out vec2 vWide;
  flat out float vLength;
  ${PLACE}
  ${HAZE}
  vec3 point(uint i) {
    uvec4 raw = texelFetch(uPoints, ivec2(int(i) % 2048, int(i) / 2048), 0);
    vec3 p = placed(vec3(raw.xyz) / 65535.0);
    return vec3(dot(row0.xyz, p), dot(row1.xyz, p), dot(row2.xyz, p)) + vec3(row0.w, row1.w, row2.w);
  }
  float width(uint i) { return texelFetch(uPointWidths, ivec2(int(i) % 2048, int(i) / 2048), 0).r; }
  void main() {
    int item = gl_VertexID / 6;
    int corner = gl_VertexID % 6;
    vec2 side = vec2(corner == 0 || corner == 2 || corner == 3 ? -1.0 : 1.0, corner == 0 || corner == 1 || corner == 3 ? -1.0 : 1.0);
    if (corner == 2) side = vec2(1.0, 1.0);
    if (corner == 4) side = vec2(1.0, 1.0);
    if (corner == 5) side = vec2(-1.0, 1.0);
    uvec2 ends = uDots == 1 ? uvec2(item, item) : texelFetch(uEdges, ivec2(item % 2048, item / 2048), 0).xy;
    vec4 a = onScreen(point(ends.x));
    vec4 b = onScreen(point(ends.y));
    uint mine = side.x < 0.0 ? ends.x : ends.y;
    vTint = vec4(tint.rgb * gain, tint.a);
    if (uHasPointTints == 1) vTint *= texelFetch(uPointTints, ivec2(int(mine) % 2048, int(mine) / 2048), 0);
    if (a.w <= 0.5 && b.w <= 0.5) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); return; }
    if (a.w <= 0.5) a = mix(a, b, (0.5 - a.w) / (b.w - a.w));
    else if (b.w <= 0.5) b = mix(b, a, (0.5 - b.w) / (a.w - b.w));
    vec2 pa = a.xy / a.w * uSize * 0.5;
    vec2 pb = b.xy / b.w * uSize * 0.5;
    vec2 wide = vec2(uHalf * broad);
    if (uUnits == 1) wide *= uFocal * 0.5 * (1.0 / a.w + 1.0 / b.w);
    if (uHasPointWidths == 1) wide *= vec2(width(ends.x), width(ends.y));
    vec2 way = pb - pa;
    float length_ = length(way);
    way = length_ > 1e-4 ? way / length_ : vec2(1.0, 0.0);
    float reach = max(max(wide.x, wide.y), 0.5) + 1.0;
    vec4 end = side.x < 0.0 ? a : b;
    vec2 at = (side.x < 0.0 ? pa : pb) + way * side.x * reach + vec2(-way.y, way.x) * side.y * reach;
    #ifdef HAZE
    vec3 world = point(mine);
    float seen = leftInHaze(world);
    vHaze = vec4((1.0 - seen) * hazeBefore(world, (side.x < 0.0 ? pa.y : pb.y) / uSize.y + 0.5), seen);
    #endif
    vAlong = vec2(side.x < 0.0 ? -reach : length_ + reach, side.y * reach);
    vWide = wide;
    vLength = length_;
    float w = end.w;
    float z = (w * (1.0 - uLift) * 60000.5 - 60000.0) / 59999.5;
    // Flat on the screen: interpolation must not follow depth, or the line's edge would bend.
    gl_Position = vec4(at / (uSize * 0.5), z / (w * (1.0 - uLift)), 1.0);
  }
`;

export const STROKE_FRAGMENT = `
  precision highp float;
  precision highp int;
  uniform vec3 uColour;
  uniform float uSoft, uLift;
  uniform int uPick;
  in vec4 vTint;
  #ifdef HAZE
  in vec4 vHaze;
  #endif
  flat in vec2 vWide;
  flat in float vLength;
  in vec2 vAlong;
  out vec4 colour;
  ${BRIGHT}
  ${PICKED}
  void main() {
    float past = max(max(-vAlong.x, vAlong.x - vLength), 0.0);
    float away = length(vec2(past, vAlong.y));
    float share = vLength > 1e-4 ? clamp(vAlong.x / vLength, 0.0, 1.0) : 0.0;
    float half_ = mix(vWide.x, vWide.y, share);
    // Thinner than a pixel: drawn one pixel wide and as much fainter.
    float wide = max(half_, 0.5);
    float cover = clamp((wide + 0.5 - away) / max(wide * uSoft, 1.0), 0.0, 1.0);
    if (uSoft > 0.0) cover = cover * cover * (3.0 - 2.0 * cover);
    if (cover <= 0.0) discard;
    #ifdef PICK
    if (cover * vTint.a < 0.4) discard;
    // As it lies flat on the screen, its depth is told by what was written as that alone.
    float lifted = 60000.0 / 59999.5 / (60000.5 / 59999.5 + 1.0 - 2.0 * gl_FragCoord.z);
    colour = picked(uPick, lifted / (1.0 - uLift));
    #else
    float strength = min(half_ * 2.0, 1.0) * vTint.a;
    vec3 light = uColour * vTint.rgb;
    #ifdef HAZE
    light *= vHaze.a;
    #ifndef ADDITIVE
    light += vHaze.rgb;
    #endif
    #endif
    light *= strength;
    // The mean of it and of darkness: over what is as bright itself edges are only near to the render's.
    light *= cover * rolledOff(light);
    light *= rolledOn(light);
    #ifdef ADDITIVE
    colour = vec4(light, 0.0);
    #else
    colour = vec4(light, cover * strength);
    #endif
    #endif
  }
`;
