from thornwick import lanes


def run(notice):
    region = notice.notes.get("region", "nowhere")
    lanes.send(f"copy-{region}", notice.read(), notice.media, {**notice.notes, "turn": str(notice.turn)}, notice.file_in)
