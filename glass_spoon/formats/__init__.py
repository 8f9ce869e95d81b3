"""Open formats: bytes to kernel types and back, one module a format."""
