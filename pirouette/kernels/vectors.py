"""Eight numbers as one vector, whatever the compiler makes of loops: what intrinsics are put together of."""

from llvmlite import ir
from numba.core import cgutils

LANES = 8
INTS = ir.VectorType(ir.IntType(32), LANES)
FLOATS = ir.VectorType(ir.FloatType(), LANES)


def pointer(context, builder, array_type, array, at, vector):
    """Where in an array, `at` numbers from its beginning, a vector lies."""
    data = context.make_array(array_type)(context, builder, array).data
    return builder.bitcast(builder.gep(data, [at]), vector.as_pointer())


def everywhere(builder, value, vector):
    """A vector that holds one value in every lane."""
    single = builder.insert_element(ir.Constant(vector, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return builder.shuffle_vector(single, ir.Constant(vector, ir.Undefined), ir.Constant(INTS, [0] * LANES))


class Maths:
    """Sums and products of vectors of eight numbers, which may fuse as those of the kernels around them do."""

    def __init__(self, builder):
        self.builder = builder

    def number(self, value):
        return ir.Constant(FLOATS, [value] * LANES)

    def plus(self, a, b):
        return self.builder.fadd(a, b, flags=("contract", "nsz"))

    def minus(self, a, b):
        return self.builder.fsub(a, b, flags=("contract", "nsz"))

    def times(self, a, b):
        return self.builder.fmul(a, b, flags=("contract", "nsz"))

    def over(self, a, b):
        return self.builder.fdiv(a, b)

    def lower(self, a, b):
        return self.builder.select(self.builder.fcmp_ordered("<", a, b), a, b)

    def higher(self, a, b):
        return self.builder.select(self.builder.fcmp_ordered(">", a, b), a, b)

    def within(self, value):
        return self.lower(self.higher(value, self.number(0.0)), self.number(1.0))

    def root(self, value):
        kind = ir.FunctionType(FLOATS, [FLOATS])
        return self.builder.call(cgutils.get_or_insert_function(self.builder.module, kind, "llvm.sqrt.v8f32"), [value])

    def mixed(self, a, b, places):
        return self.builder.shuffle_vector(a, b, ir.Constant(ir.VectorType(ir.IntType(32), len(places)), places))

    def side_by_side(self, r, g, b, a):
        """Four vectors as (r, g, b, a) of eight pixels, two pixels to a vector."""
        low, high = [0, 8, 1, 9, 2, 10, 3, 11], [4, 12, 5, 13, 6, 14, 7, 15]
        first, second = [0, 1, 8, 9, 2, 3, 10, 11], [4, 5, 12, 13, 6, 7, 14, 15]
        for half in (low, high):
            rg, ba = self.mixed(r, g, half), self.mixed(b, a, half)
            yield self.mixed(rg, ba, first)
            yield self.mixed(rg, ba, second)

    def one_by_one(self, pairs):
        """Four vectors of two pixels each as the r, g, b and a of all eight."""
        for channel in range(4):
            places = [channel, channel + 4, channel + 8, channel + 12] * 2
            low, high = self.mixed(*pairs[:2], places), self.mixed(*pairs[2:], places)
            yield self.mixed(low, high, [0, 1, 2, 3, 8, 9, 10, 11])
