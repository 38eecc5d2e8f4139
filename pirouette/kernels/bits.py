"""Whole numbers of 32 bits that stay so: the compiler's own arithmetic widens them, and halves what fits a vector."""

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

_WORD = ir.IntType(32)


@intrinsic
def times(typing, a, b):
    """The product of two uint32, without what does not fit 32 bits."""

    def generate(context, builder, signature, given):
        return builder.mul(*given)

    return types.uint32(types.uint32, types.uint32), generate


@intrinsic
def mix(typing, h):
    """A uint32 as if by chance of another one: neighbours become unlike."""

    def generate(context, builder, signature, given):
        def folded(value):
            return builder.xor(value, builder.lshr(value, ir.Constant(_WORD, 15)))

        return folded(builder.mul(folded(given[0]), ir.Constant(_WORD, 0x7FEB352D)))

    return types.uint32(types.uint32), generate


@intrinsic
def bits(typing, h, first, count):
    """`count` bits of a uint32 from its `first` on, as a float32; both are literal numbers."""

    def generate(context, builder, signature, given):
        start, many = (kind.literal_value for kind in signature.args[1:])
        part = builder.and_(builder.lshr(given[0], ir.Constant(_WORD, start)), ir.Constant(_WORD, (1 << many) - 1))
        return builder.sitofp(part, ir.FloatType())

    if not all(isinstance(kind, types.IntegerLiteral) for kind in (first, count)):
        return None
    return types.float32(types.uint32, first, count), generate
