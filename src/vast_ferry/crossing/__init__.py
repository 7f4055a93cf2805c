"""One port of one project: the plan, the wrapping of what is not rewritten, and writing it."""
