"""Functions that compiled translations call; their source is copied into ported projects, so only the standard
library may be used, every name must be defined in one of these rooms, and each function has to read well where it ends
up.

A function belongs here if generated code calls it at run time. Two-way pairs stand together.
"""

from vast_ferry.mapping.helpers.of_answers import *  # noqa: F403
from vast_ferry.mapping.helpers.of_batches import *  # noqa: F403
from vast_ferry.mapping.helpers.of_calls import *  # noqa: F403
from vast_ferry.mapping.helpers.of_chains import *  # noqa: F403
from vast_ferry.mapping.helpers.of_columns import *  # noqa: F403
from vast_ferry.mapping.helpers.of_contents import *  # noqa: F403
from vast_ferry.mapping.helpers.of_http import *  # noqa: F403
from vast_ferry.mapping.helpers.of_lists import *  # noqa: F403
from vast_ferry.mapping.helpers.of_protocols import *  # noqa: F403
from vast_ferry.mapping.helpers.of_records import *  # noqa: F403
from vast_ferry.mapping.helpers.of_texts import *  # noqa: F403
from vast_ferry.mapping.helpers.of_times import *  # noqa: F403
from vast_ferry.mapping.helpers.of_typed import *  # noqa: F403
from vast_ferry.mapping.helpers.of_values import *  # noqa: F403

#: In the order in which they stand where they end up.
ROOMS = (
    "of_http",
    "of_protocols",
    "of_values",
    "of_texts",
    "of_times",
    "of_contents",
    "of_lists",
    "of_typed",
    "of_records",
    "of_columns",
    "of_answers",
    "of_batches",
    "of_calls",
    "of_chains",
)
