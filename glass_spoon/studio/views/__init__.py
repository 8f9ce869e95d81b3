"""Views: bind the request, call one use case, render a page or a fragment."""
