"""The check: both sides run on the same samples, and what they answered compared; nobody is believed."""
