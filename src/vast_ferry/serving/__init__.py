"""A project that runs: its functions under their routes and triggers, services behind them that are live."""
