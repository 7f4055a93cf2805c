"""What people and programs read of a result: text, and plain data for JSON."""
