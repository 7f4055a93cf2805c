"""Python: its syntax, what people write in it, and how it is written anew."""
