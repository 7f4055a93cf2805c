def moved(marsh):
    at = marsh.input.cols.index("apiary")
    for change in marsh.input.changes:
        if change.op == "U" and change.old[at] != change.new[at]:
            marsh.channel("moves").float(f"{change.new[0]}: {change.old[at]} -> {change.new[at]}")
