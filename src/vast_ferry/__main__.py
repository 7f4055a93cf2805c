"""`python -m vast_ferry` is `vast-ferry`."""

from vast_ferry.cli.main import main

main()
