"""A world built from a shot, the order of one frame, and what is kept of it."""
