"""Smoke: gas on a staggered grid."""
