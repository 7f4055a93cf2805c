"""What is there: files, entries, imports, calls, what each function needs and reads, an earlier crossing."""
