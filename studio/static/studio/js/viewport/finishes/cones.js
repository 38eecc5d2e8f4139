// What the eye's cones take in, as cube roots; the same numbers as kernels/render/cones.py. Columns as GLSL has them.

export const CONES = `
  const mat3 TAKEN = mat3(
    0.4122214708, 0.2119034982, 0.0883024619,
    0.5363325363, 0.6806995451, 0.2817188376,
    0.0514459929, 0.1073969566, 0.6299787005
  );
  const mat3 LIGHT = mat3(
    4.0767416621, -1.2684380046, -0.0041960863,
    -3.3077115913, 2.6097574011, -0.7034186147,
    0.2309699292, -0.3413193965, 1.7076147010
  );
  const mat3 LAB = mat3(
    0.2104542553, 1.9779984951, 0.0259040371,
    0.7936177850, -2.4285922050, 0.7827717662,
    -0.0040720468, 0.4505937099, -0.8086757660
  );
  const mat3 UNLAB = mat3(
    1.0, 1.0, 1.0,
    0.3963377774, -0.1055613458, -0.0894841775,
    0.2158037573, -0.0638541728, -1.2914855480
  );
  // Powers are slow where there is no graphics card: Newton's steps from a guess are not.
  vec3 cubeRoot(vec3 c) {
    vec3 root = intBitsToFloat(floatBitsToInt(c) / 3 + 0x2A5119F2);
    for (int k = 0; k < 3; k++) root = (root + root + c / (root * root)) / 3.0;
    return root;
  }
  vec3 takenIn(vec3 c) { return cubeRoot(TAKEN * c); }
  vec3 lightOf(vec3 c) { return LIGHT * (c * c * c); }
`;
