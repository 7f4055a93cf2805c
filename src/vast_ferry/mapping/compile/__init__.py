"""From two tables to straight-line source: read (A → hub), write (hub → B), and A → B fused with nothing in between.

All three are one function, `functions.translate_event`, because the hub is a shape like any other.
"""
