"""Particles: thrown, pushed, slowed, bounced."""
