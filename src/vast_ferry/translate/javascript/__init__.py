"""Handlers in JavaScript rewritten: names resolved, the event followed, answers turned, in the author's own file."""
