"""The neutral model that every provider's things are read into and written from: pure data, no I/O."""
