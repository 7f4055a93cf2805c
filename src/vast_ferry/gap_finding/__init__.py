"""What won't carry across, found before anything is written, and what it costs there."""
