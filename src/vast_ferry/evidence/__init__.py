"""What speaks for a profile: laws on generated events, recorded events with their meaning, an event row by row."""
