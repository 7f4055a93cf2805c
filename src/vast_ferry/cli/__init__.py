"""The command-line tool: parses arguments, calls the library, prints; nothing else."""
