"""Providers as data: the schema of a profile, loading and finding one, linting, and the profiles that ship."""
