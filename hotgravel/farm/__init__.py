"""Where runs execute: worker processes, never the web process."""
