"""A front of heat that creeps over props and eats them."""
