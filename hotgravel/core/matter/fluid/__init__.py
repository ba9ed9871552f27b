"""What gases and liquids share: grids whose velocities stand on faces, obstacles in them, and pressure."""
