"""Providers as data: the schema of a profile, loading one, and the profiles that ship."""
