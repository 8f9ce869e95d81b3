"""The build sheet: lines with typed fields, sizes, evaluation and cache. No interface, no database."""
