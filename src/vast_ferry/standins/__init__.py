"""Stand-ins: simulated providers that call a handler, in a worker process, as their profile says."""
