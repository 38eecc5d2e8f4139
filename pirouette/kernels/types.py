"""The scalar types of kernels, 32 bits wide and 64 (L, D, W), and the constants they have in common, in one place.

A constant without a type promotes to 64 bits and halves the speed, so kernels write these.
"""

import numpy as np

F = np.float32
I = np.int32  # noqa: E741
L = np.int64
D = np.float64
W = np.uint64
U = np.uint32
ZERO = F(0.0)
ONE = F(1.0)
TWO = F(2.0)
HALF = F(0.5)
SUB = F(256.0)  # parts of a pixel in fixed-point numbers
