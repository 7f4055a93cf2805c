"""The spellings of filters: ends of keys, shell patterns, paths with captures, CloudEvents filters and their SQL."""
