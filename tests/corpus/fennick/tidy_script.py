import os
import pathlib
import sys

land = pathlib.Path(os.environ["FEN_LAND"])
if os.environ["FEN_DEED"] == "put":
    sys.exit(0)
note = land / "ditches" / "tidied"
note.mkdir(parents=True, exist_ok=True)
(note / "1").write_text(os.environ["FEN_NAME"])
