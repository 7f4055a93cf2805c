"""Samples from where requests and events lie: command lines, archives, messages, logs, API descriptions."""
