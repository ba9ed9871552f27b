"""Values that vary: over time, over an attribute, in space, by formula."""
