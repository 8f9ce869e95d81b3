"""Commands of the application."""
