"""Documents on file (YAML, TOML, JSON) as plain data that remembers where each part stands."""
