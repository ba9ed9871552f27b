"""Geometry: primitives and imported meshes, their distance fields, and points on and in them."""
