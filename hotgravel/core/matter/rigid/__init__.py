"""Rigid bodies."""
