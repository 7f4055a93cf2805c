def nightly(marsh):
    day, _, clock = marsh.input.local.partition("T")
    marsh.silo("reports").fill(f"{day}.txt", f"{marsh.input.name} at {clock} in {marsh.input.zone}\n")
