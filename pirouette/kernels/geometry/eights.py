"""Which of eight boxes or balls a place is near to, asked of all eight at once."""

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from ..vectors import FLOATS, LANES, Maths, everywhere, pointer

_BITS = ir.IntType(LANES)
_PLACE = [types.float32] * 3


class _Near(Maths):
    """How far a place is from rows of eight numbers."""

    def __init__(self, context, builder, array_type, array, at, place):
        super().__init__(builder)
        self._row_at = lambda k: pointer(
            context, builder, array_type, array, builder.add(at, ir.Constant(at.type, k * LANES)), FLOATS
        )
        self.place = [self.all_alike(value) for value in place]

    def all_alike(self, value):
        return everywhere(self.builder, value, FLOATS)

    def row(self, k):
        return self.builder.load(self._row_at(k), align=4)

    def squared(self, ways):
        x, y, z = (self.times(way, way) for way in ways)
        return self.plus(self.plus(x, y), z)

    def bits(self, one, most):
        """A bit for each lane in which a vector is not above another."""
        is_near = self.builder.fcmp_ordered("<=", one, most)
        return self.builder.zext(self.builder.bitcast(is_near, _BITS), ir.IntType(32))


@intrinsic
def boxes_within(typing, boxes, at, x, y, z, most, out):
    """Write how far a place is from eight boxes, squared; return a bit for each that is not farther than `most`.

    boxes  flat float32; from `at` on the low x of all eight, their low y and z, and their high x, y and z
    out    float32, the first eight are written
    """

    def generate(context, builder, signature, given):
        boxes, at, x, y, z, most, out = given
        maths = _Near(context, builder, signature.args[0], boxes, at, (x, y, z))
        none = maths.number(0.0)
        ways = []
        for k, value in enumerate(maths.place):
            below, above = maths.minus(maths.row(k), value), maths.minus(value, maths.row(k + 3))
            ways.append(maths.higher(maths.higher(below, above), none))
        far = maths.squared(ways)
        start = pointer(context, builder, signature.args[-1], out, ir.Constant(ir.IntType(64), 0), FLOATS)
        builder.store(far, start, align=4)
        return maths.bits(far, maths.all_alike(most))

    return types.uint32(boxes, types.int64, *_PLACE, types.float32, out), generate


@intrinsic
def balls_within(typing, balls, at, x, y, z, reach):
    """Return a bit for each of eight balls that is not farther than `reach` from a place.

    balls  flat float32; from `at` on the x of all eight middles, their y and z, and all radii
    """

    def generate(context, builder, signature, given):
        balls, at, x, y, z, reach = given
        maths = _Near(context, builder, signature.args[0], balls, at, (x, y, z))
        ways = [maths.minus(value, maths.row(k)) for k, value in enumerate(maths.place)]
        most = maths.plus(maths.all_alike(reach), maths.row(3))
        return maths.bits(maths.squared(ways), maths.times(most, most))

    return types.uint32(balls, types.int64, *_PLACE, types.float32), generate


@intrinsic
def lowest_bit(typing, bits):
    """The number of the lowest bit that is set in a uint32 which is not 0."""

    def generate(context, builder, signature, given):
        return builder.cttz(given[0], ir.Constant(ir.IntType(1), 1))

    return types.uint32(types.uint32), generate
