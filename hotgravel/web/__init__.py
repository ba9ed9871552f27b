"""Pages, made on the server, and the data that the stage draws."""
