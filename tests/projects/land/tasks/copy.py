import os
import pathlib

land = pathlib.Path(os.environ["FEN_LAND"])
text = (land / "yards" / os.environ["FEN_YARD"] / os.environ["FEN_NAME"]).read_text()
copy = land / "yards" / "copies" / os.environ["FEN_NAME"]
copy.parent.mkdir(parents=True, exist_ok=True)
copy.write_text(text.upper())
news = land / "ditches" / "news"
news.mkdir(parents=True, exist_ok=True)
(news / "1").write_text(f"copied {os.environ['FEN_NAME']}")
