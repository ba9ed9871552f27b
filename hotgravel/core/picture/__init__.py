"""Headless pictures."""
