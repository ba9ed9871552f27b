"""Numbers in, numbers out: no web, no database, no wall clock."""
