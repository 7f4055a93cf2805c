"""What is in a project, what of it won't fit elsewhere, and what must be there first; nothing is written.

Run: python examples/before_you_carry.py
"""

from vast_ferry import gaps, survey
from vast_ferry.demo import PROJECT
from vast_ferry.gap_finding.price import bill


def main() -> None:
    """Look at the demo project, and at its way to a provider that has less."""
    there = survey(PROJECT)
    for function in there.project.functions:
        needs = ", ".join(map(str, there.needs[function.name].access)) or "nothing"
        print(f"{function.name}: called by {', '.join(function.kinds)}, needs to {needs}")

    found = gaps(PROJECT, to="brackendale")
    for finding in found.worst_first:
        if finding.severity == "blocking":
            print(f"{finding}. {finding.remedy}.")
    for need in found.checklist():
        if need.by_hand:
            print(f"make {need.what} {need.name} for {', '.join(need.functions)}")
    for profile, usage in found.usages(calls=20_000_000, mean_ms=80, gb_out=40):
        month = bill(profile, usage)
        if month:
            print(f"{profile.title}: {month.total:,.2f} {month.coin} a month")


if __name__ == "__main__":
    main()
