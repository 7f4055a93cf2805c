import cinderwick


def nightly(spark, hearth):
    hours, minutes = divmod(spark["due"]["minute"], 60)
    cinderwick.cellar("reports").put(f"{spark['due']['day']}.txt", f"{spark['bell']} at {hours:02}:{minutes:02}\n")
