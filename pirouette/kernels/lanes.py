"""Eight samples of a triangle at once, as one vector whatever the compiler makes of the loops around it."""

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

LANES = 8
_INTS = ir.VectorType(ir.IntType(32), LANES)
_FLOATS = ir.VectorType(ir.FloatType(), LANES)
_KEYS = ir.VectorType(ir.IntType(64), LANES)


def _pointer(context, builder, array_type, array, at, vector):
    data = context.make_array(array_type)(context, builder, array).data
    return builder.bitcast(builder.gep(data, [at]), vector.as_pointer())


def _everywhere(builder, value, vector):
    """A vector that holds one value in every lane."""
    single = builder.insert_element(ir.Constant(vector, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return builder.shuffle_vector(single, ir.Constant(vector, ir.Undefined), ir.Constant(_INTS, [0] * LANES))


@intrinsic
def draw_lanes(typing, seen, at, lane_x, lane_y, lane, a, a_x, a_y, b, b_x, b_y, c, c_x, c_y, z, z_x, z_y, mark):
    """Draw into seen[at : at + 8] those samples that lie inside of three edges and nearer than what is seen there.

    seen            int64 keys: the bits of 1/w above the triangle's number
    lane_x, lane_y  int32 places of the samples, read from `lane` on; nothing may write to them meanwhile
    a, a_x, a_y     an edge (int32) at the place 0, and how it changes along x and y: inside it is 0 and more; so b, c
    z, z_x, z_y     1/w (float32) likewise
    mark            int64, the triangle's number
    """
    ints, floats = [types.int32] * 9, [types.float32] * 3
    signature = types.void(seen, types.int64, lane_x, lane_y, types.int64, *ints, *floats, types.int64)

    def generate(context, builder, signature, given):
        seen, at, lane_x, lane_y, lane, *edges = given
        z, z_x, z_y, mark = edges[9:]
        never_written = builder.module.add_metadata([])
        places = []
        for array_type, array in zip(signature.args[2:4], (lane_x, lane_y), strict=True):
            loaded = builder.load(_pointer(context, builder, array_type, array, lane, _INTS), align=4)
            loaded.set_metadata("invariant.load", never_written)
            places.append(loaded)

        def along(value, slopes):
            whole = builder.add(
                *(builder.mul(p, _everywhere(builder, s, _INTS)) for p, s in zip(places, slopes, strict=True))
            )
            return builder.add(whole, _everywhere(builder, value, _INTS))

        sides = [along(edges[k], edges[k + 1 : k + 3]) for k in (0, 3, 6)]
        outside = builder.or_(builder.or_(sides[0], sides[1]), sides[2])
        is_in = builder.icmp_signed(">=", outside, ir.Constant(_INTS, None))
        x, y = (builder.sitofp(p, _FLOATS) for p in places)
        rise = builder.fadd(
            builder.fmul(x, _everywhere(builder, z_x, _FLOATS)), builder.fmul(y, _everywhere(builder, z_y, _FLOATS))
        )
        depth = builder.fadd(rise, _everywhere(builder, z, _FLOATS))
        bits = builder.zext(builder.bitcast(depth, _INTS), _KEYS)
        keys = builder.or_(builder.shl(bits, ir.Constant(_KEYS, [32] * LANES)), _everywhere(builder, mark, _KEYS))
        target = _pointer(context, builder, signature.args[0], seen, at, _KEYS)
        before = builder.load(target, align=8)
        is_nearer = builder.and_(is_in, builder.icmp_signed(">", keys, before))
        builder.store(builder.select(is_nearer, keys, before), target, align=8)
        return context.get_dummy_value()

    return signature, generate
