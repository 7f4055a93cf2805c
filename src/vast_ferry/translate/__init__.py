"""Handler source followed and written anew: what any language has; one language's own stands in its folder."""
