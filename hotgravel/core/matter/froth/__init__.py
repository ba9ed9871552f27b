"""Spray, foam and bubbles of a liquid, born where it breaks."""
