"""Samples that notice: how blind those of a function are, what is made for it, and what other deliveries do.

python examples/strong_samples.py [SECONDS]
"""

import shutil
import sys
import tempfile
from pathlib import Path

import vast_ferry
from vast_ferry.demo import PROJECT


def main(seconds: float) -> None:
    """Measure, make, measure again."""
    with tempfile.TemporaryDirectory() as folder:
        project, crossing = Path(folder) / "apiary", Path(folder) / "crossing"
        shutil.copytree(PROJECT, project)
        vast_ferry.carry(project, to="thornwick", out=crossing)

        before = vast_ferry.strength(crossing, functions=["record_inspection"], seconds=seconds).functions[0]
        print(f"{before.function}: {before.samples} samples notice {before.noticed} of {len(before.planted)} faults")
        for one in before.missed[:3]:
            print(f"  not, for instance, that {one.fault.what} ({one.fault.place})")

        made = vast_ferry.make_samples(crossing, ["record_inspection"], seconds=seconds)
        vast_ferry.write_samples(made.collection)
        print(f"{made.generated} events tried; {len(made.collection.samples)} are kept:")
        for (_, name), why in made.why.items():
            print(f"  {name}: {why[:90]}")

        after = vast_ferry.strength(crossing, functions=["record_inspection"], seconds=seconds).functions[0]
        print(f"{after.function}: {after.samples} samples notice {after.noticed} of {len(after.planted)} faults")

        for told in vast_ferry.deliveries(crossing, functions=["nectar_report"]).findings:
            print(f"{told.code}: {told.reason}")


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 3)
