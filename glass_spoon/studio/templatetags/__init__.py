"""Tags of the templates."""
