"""What is kept between starts: shots, their revisions, runs and what was measured of them."""
