"""How kernels may be compiled apart from the plain order of their sums."""

FUSED = {"contract"}  # a product and the sum that it goes into may be one instruction; all else stays as it is written
