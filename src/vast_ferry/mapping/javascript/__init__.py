"""The same translations in JavaScript: expressions as its source, helpers' twins, whole functions and modules."""
