"""Surfaces out of surfaces, and curves laid onto them."""
