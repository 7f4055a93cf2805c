"""The heart: two-way rows between native places and hub fields, compiled to straight-line Python source."""
