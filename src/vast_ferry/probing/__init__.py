"""How much samples notice, and samples made: what of the code runs, small faults planted in it, events generated."""
