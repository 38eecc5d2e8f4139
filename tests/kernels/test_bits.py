"""Whole numbers of 32 bits against Python's own, which have no end."""

import numba
import numpy as np

from pirouette.kernels.bits import bits, mix, times

NUMBERS = np.random.default_rng(2).integers(0, 2**32, 500, np.uint32)


@numba.njit
def all_of(numbers, products, mixed, low, high):
    for i in range(len(numbers)):
        products[i] = times(numbers[i], np.uint32(0x9E3779B1))
        mixed[i] = mix(numbers[i])
        low[i] = bits(numbers[i], 0, 10)
        high[i] = bits(numbers[i], 22, 10)


def fold(h):
    return h ^ (h >> 15)


def test_bits_are_those_of_whole_numbers():
    products, mixed = np.empty_like(NUMBERS), np.empty_like(NUMBERS)
    low, high = np.empty(len(NUMBERS), np.float32), np.empty(len(NUMBERS), np.float32)
    all_of(NUMBERS, products, mixed, low, high)
    plain = [int(n) for n in NUMBERS]
    assert products.tolist() == [n * 0x9E3779B1 % 2**32 for n in plain]
    assert mixed.tolist() == [fold(fold(n) * 0x7FEB352D % 2**32) for n in plain]
    assert low.tolist() == [n % 1024 for n in plain]
    assert high.tolist() == [n >> 22 for n in plain]


def test_neighbours_become_unlike():
    numbers = np.arange(4096, dtype=np.uint32)
    out = [np.empty_like(numbers), np.empty_like(numbers), np.empty(4096, np.float32), np.empty(4096, np.float32)]
    all_of(numbers, *out)
    flips = np.unpackbits((out[1][1:] ^ out[1][:-1]).view(np.uint8)).mean()
    assert 0.4 < flips < 0.6
