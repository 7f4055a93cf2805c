def run(before, sheet, gone, log):
    """When a sheet is taken away there is nothing left of it to hand over."""
    if sheet is None:
        gone.set(before["sheet"] + " is gone")
        return
    gone.set(str(len(sheet)))
