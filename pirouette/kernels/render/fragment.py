"""The numbers of fragments: a table of many, so that light is laid on them in straight loops."""

# Fragments are lit in blocks. Each number of a fragment has a stretch of its own in one flat table, and the stretches
# lie a constant PITCH apart: so the compiler sees that they never overlap, and lights many fragments at once.
BLOCK = 512
PITCH = BLOCK + 16  # not a power of two, or all stretches would meet in the same lines of the cache
(
    AT_X, AT_Y, NEARNESS, NX, NY, NZ, RED, GREEN, BLUE, GLOW_R, GLOW_G, GLOW_B, ROUGH, METALLIC, BRIGHT,
    RAY_X, RAY_Y, RAY_Z, OUT_R, OUT_G, OUT_B, VX, VY, VZ, FACING, BASE_R, BASE_G, BASE_B,
    PLACE_U, PLACE_V, SEEN_AT, PART, OPACITY, BEGIN_X, BEGIN_Y, BEGIN_Z, LIT_BY, SHARE,
    MIRRORED, RIGHT_X, RIGHT_Y, RIGHT_Z, DOWN_X, DOWN_Y, DOWN_Z, CLEAR, HELD_R, HELD_G, HELD_B,
    COPY, EDGE, WAX_R, WAX_G, WAX_B, BENEATH, THIN,
    TABLE_SIZE,
) = (row * PITCH for row in range(57))  # fmt: skip
