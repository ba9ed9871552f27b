"""One package a solver. Solvers do not import each other; they meet in `core.run`."""
