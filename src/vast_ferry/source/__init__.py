"""Handler source: looking at it, wrapping it, and writing a crossing."""
