"""How wet props are where liquid has touched them."""
