"""Liquid: drops that move on a grid, whose pressure keeps them apart."""
