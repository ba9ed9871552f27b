"""Liquid in vessels, by its modes: a surface that swings, and the vessel cut by it."""
