"""Wide water: a surface of waves, exactly dispersive."""
