"""Samples: events kept on file, read into the hub whatever their form."""
