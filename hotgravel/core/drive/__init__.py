"""Values that vary. A number in a shot is a `Value`: plain, or driven by something.

`resolve` turns it into arrays before any kernel runs; nothing else needs to know why a
number varies.
"""
