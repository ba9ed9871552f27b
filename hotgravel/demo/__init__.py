"""The volcano field-station shots that ship with the application."""
