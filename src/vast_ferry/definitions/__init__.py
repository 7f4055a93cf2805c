"""Trigger-definition files: read into the hub's functions and written from them, as a profile's tables say."""
