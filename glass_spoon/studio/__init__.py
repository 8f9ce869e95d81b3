"""The web application: Django settings, models, use cases, views, templates."""
