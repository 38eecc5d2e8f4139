"""Eight samples of a triangle or pixels of a stroke at once, as one vector whatever the compiler makes of the loops."""

from functools import partial

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from ..vectors import FLOATS, INTS, LANES, Maths, everywhere, pointer
from .bright import LEAST_ROOM, ROOM

_KEYS = ir.VectorType(ir.IntType(64), LANES)


@intrinsic
def draw_lanes(typing, seen, at, lane_x, lane_y, lane, a, b, c, depth, mark):
    """Draw into seen[at : at + 8] those samples that lie inside of three edges and nearer than what is seen there.

    seen            int64 keys: the bits of 1/w above the triangle's number
    lane_x, lane_y  int32 places of the samples, read from `lane` on; nothing may write to them meanwhile
    a, b, c         each edge (int32) at the place 0, and how it changes along x and y: inside it is 0 and more
    depth           1/w (float32) likewise
    mark            int64, the triangle's number
    """
    edges, plane = [types.UniTuple(types.int32, 3)] * 3, types.UniTuple(types.float32, 3)
    signature = types.void(seen, types.int64, lane_x, lane_y, types.int64, *edges, plane, types.int64)

    def generate(context, builder, signature, given):
        seen, at, lane_x, lane_y, lane, *edges, depth, mark = given
        z, z_x, z_y = cgutils.unpack_tuple(builder, depth)
        never_written = builder.module.add_metadata([])
        places = []
        for array_type, array in zip(signature.args[2:4], (lane_x, lane_y), strict=True):
            loaded = builder.load(pointer(context, builder, array_type, array, lane, INTS), align=4)
            loaded.set_metadata("invariant.load", never_written)
            places.append(loaded)

        def along(edge):
            value, *slopes = cgutils.unpack_tuple(builder, edge)
            whole = builder.add(
                *(builder.mul(p, everywhere(builder, s, INTS)) for p, s in zip(places, slopes, strict=True))
            )
            return builder.add(whole, everywhere(builder, value, INTS))

        sides = [along(edge) for edge in edges]
        outside = builder.or_(builder.or_(sides[0], sides[1]), sides[2])
        is_in = builder.icmp_signed(">=", outside, ir.Constant(INTS, None))
        x, y = (builder.sitofp(p, FLOATS) for p in places)
        rise = builder.fadd(
            builder.fmul(x, everywhere(builder, z_x, FLOATS)), builder.fmul(y, everywhere(builder, z_y, FLOATS))
        )
        depth = builder.fadd(rise, everywhere(builder, z, FLOATS))
        bits = builder.zext(builder.bitcast(depth, INTS), _KEYS)
        keys = builder.or_(builder.shl(bits, ir.Constant(_KEYS, [32] * LANES)), everywhere(builder, mark, _KEYS))
        target = pointer(context, builder, signature.args[0], seen, at, _KEYS)
        before = builder.load(target, align=8)
        is_nearer = builder.and_(is_in, builder.icmp_signed(">", keys, before))
        builder.store(builder.select(is_nearer, keys, before), target, align=8)
        return context.get_dummy_value()

    return signature, generate


def _generate(is_tapered, is_told, context, builder, signature, given):
    out, at, from_lane, behind, blend, *pairs, inv_soft, depth, colour = given
    is_additive, is_soft, is_bright, white = cgutils.unpack_tuple(builder, blend)
    zs, depth_at, plane, samples = cgutils.unpack_tuple(builder, behind)
    zs_type = signature.args[3].types[0]
    pairs += [depth, colour]
    numbers = [number for numbers in pairs for number in cgutils.unpack_tuple(builder, numbers)]
    maths = Maths(builder)
    plus, minus, times, number = maths.plus, maths.minus, maths.times, maths.number
    (x, y, dx, dy, along, along_x, half, half_t, z, z_t, red, red_t, green, green_t, blue, blue_t, strength,
     strength_t) = (everywhere(builder, value, FLOATS) for value in numbers)  # fmt: skip
    inv_soft = everywhere(builder, inv_soft, FLOATS)
    lanes = ir.Constant(FLOATS, [float(lane) for lane in range(LANES)])
    t = maths.within(plus(along, times(along_x, lanes)))
    across, down = minus(plus(x, lanes), times(t, dx)), minus(y, times(t, dy))
    away = maths.root(plus(times(across, across), times(down, down)))
    if is_tapered:
        half = plus(half, times(t, half_t))
    reach = plus(maths.higher(half, number(0.5)) if is_tapered else half, number(0.5))
    cover = maths.within(times(minus(reach, away), inv_soft))
    eased = times(times(cover, cover), minus(number(3.0), times(number(2.0), cover)))
    cover = builder.select(is_soft, eased, cover)
    is_drawn = builder.icmp_signed(">=", ir.Constant(INTS, list(range(LANES))), everywhere(builder, from_lane, INTS))
    depth = plus(z, times(t, z_t))
    strength = plus(strength, times(t, strength_t))
    if is_tapered:
        strength = times(strength, maths.lower(plus(half, half), number(1.0)))
    light = [plus(begin, times(t, change)) for begin, change in ((red, red_t), (green, green_t), (blue, blue_t))]
    if is_told:
        cover = builder.select(is_drawn, cover, number(0.0))
        for k, told in enumerate((cover, strength, *light, depth)):
            place = builder.add(at, ir.Constant(ir.IntType(64), LANES * k))
            builder.store(told, pointer(context, builder, signature.args[0], out, place, FLOATS), align=4)
        return context.get_dummy_value()

    def depths_of(sample):
        place = builder.add(depth_at, builder.mul(sample, plane))
        return pointer(context, builder, zs_type, zs, place, FLOATS)

    count = cgutils.alloca_once_value(builder, number(0.0))
    with cgutils.for_range(builder, samples) as loop:
        is_seen = builder.fcmp_ordered(">=", depth, builder.load(depths_of(loop.index), align=4))
        builder.store(plus(builder.load(count), builder.select(is_seen, number(1.0), number(0.0))), count)
    of_all = builder.uitofp(samples, ir.FloatType())
    seen = times(
        builder.load(count), everywhere(builder, builder.fdiv(ir.Constant(ir.FloatType(), 1.0), of_all), FLOATS)
    )
    edge = builder.select(is_drawn, times(cover, seen), number(0.0))
    cover = times(edge, strength)
    colours = [times(channel, cover) for channel in light]

    def brightest(red, green, blue):
        return maths.higher(red, maths.higher(green, blue))

    solid = builder.select(is_additive, maths.lower(brightest(*colours), number(1.0)), cover)
    keep_solid = minus(number(1.0), solid)
    targets = [
        pointer(
            context, builder, signature.args[0], out, builder.add(at, ir.Constant(ir.IntType(64), 8 * pair)), FLOATS
        )
        for pair in range(4)
    ]
    with builder.if_else(is_bright) as (bright, plain):
        with bright:
            *before, solid_before = maths.one_by_one([builder.load(target, align=4) for target in targets])
            kept = builder.select(is_additive, number(1.0), minus(number(1.0), strength))
            within = [plus(times(b, kept), times(c, strength)) for b, c in zip(before, light, strict=True)]
            white = everywhere(builder, white, FLOATS)

            def factor(colour, is_undone):
                """See `rolled_off` and `rolled_on`."""
                room = float(ROOM)
                t = maths.over(brightest(*colour), white)
                if is_undone:
                    left = maths.higher(minus(number(1.0 + room), t), number(float(LEAST_ROOM)))
                    moved = plus(number(1.0 - room), maths.over(number(room * room), left))
                else:
                    moved = minus(number(1.0 + room), maths.over(number(room * room), minus(t, number(1.0 - room))))
                return builder.select(builder.fcmp_ordered(">", t, number(1.0)), maths.over(moved, t), number(1.0))

            inside = times(edge, factor(within, False))
            outside = times(minus(number(1.0), edge), factor(before, False))
            mean = [plus(times(w, inside), times(b, outside)) for w, b in zip(within, before, strict=True)]
            undone = factor(mean, True)
            shown = [times(channel, undone) for channel in mean]
            shown.append(plus(times(solid_before, keep_solid), solid))
            for target, pair in zip(targets, maths.side_by_side(*shown), strict=True):
                builder.store(pair, target, align=4)
        with plain:
            keep = builder.select(is_additive, number(1.0), minus(number(1.0), cover))
            kept, added = maths.side_by_side(keep, keep, keep, keep_solid), maths.side_by_side(*colours, solid)
            for target, share, more in zip(targets, kept, added, strict=True):
                builder.store(plus(times(builder.load(target, align=4), share), more), target, align=4)
    with builder.if_then(builder.not_(is_additive)):
        is_solid = builder.fcmp_ordered(">", cover, number(0.5))
        with cgutils.for_range(builder, samples) as loop:
            target = depths_of(loop.index)
            before = builder.load(target, align=4)
            is_nearer = builder.and_(is_solid, builder.fcmp_ordered(">", depth, before))
            builder.store(builder.select(is_nearer, depth, before), target, align=4)
    return context.get_dummy_value()


def _typed(out, behind):
    """How strokes are called, see `stroke_lanes`."""
    pair, colours = types.UniTuple(types.float32, 2), types.UniTuple(types.float32, 8)
    blend = types.Tuple([*[types.boolean] * 3, types.float32])
    return types.void(out, types.int64, types.int32, behind, blend, *[pair] * 4, types.float32, pair, colours)


@intrinsic
def stroke_lanes(typing, out, at, from_lane, behind, blend, place, way, along, half, inv_soft, depth, colour):
    """Lay eight pixels of a stroke over out[at : at + 32], flat (r, g, b, a); or add their light to them.

    from_lane         the first of the eight that is drawn
    behind            (zs, at, plane, samples): 1/w (float32) of sample s of pixel p is zs[at + s * plane + p]; what is
                      laid over moves them
    blend             (is_additive, is_soft, is_bright, white): the edge of a bright one is the mean of
                      what is rolled off above white, see bright.py
    place             from the stroke's beginning to the middle of the first pixel
    way               from the stroke's beginning to its end
    along             which share of the way the first pixel's middle lies at, and what each further pixel adds
    half              half the width, of which the second number is not read; it is at least half a pixel
    inv_soft          cover is how far within the edge a pixel lies, from half a pixel outside of it, times this; 0..1,
                      eased if it is soft
    depth             1/w at the beginning, and how much it changes up to the end
    colour            red, its change, green, its change, blue, its change, strength, its change
    """
    return _typed(out, behind), partial(_generate, False, False)


@intrinsic
def tapered_lanes(typing, out, at, from_lane, behind, blend, place, way, along, half, inv_soft, depth, colour):
    """Lay eight pixels of a stroke as `stroke_lanes` does, but `half` is the width at its beginning and its change.

    What is thinner than a pixel is drawn one pixel wide and as much fainter.
    """
    return _typed(out, behind), partial(_generate, True, False)


# What `told_lanes` tells of each of its eight pixels, one row after the other.
COVER, STRENGTH, LIGHT, NEARNESS, TOLD_SIZE = 0, LANES, 2 * LANES, 5 * LANES, 6 * LANES


@intrinsic
def told_lanes(typing, told, at, from_lane, behind, blend, place, way, along, half, inv_soft, depth, colour):
    """Write what eight pixels of a stroke show to told[at : at + TOLD_SIZE], and draw nothing; else `tapered_lanes`."""
    return _typed(told, behind), partial(_generate, True, True)
