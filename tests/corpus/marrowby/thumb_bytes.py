def shrink(content: bytes) -> bytes:
    return content[: len(content) // 2]


def run(photo, thumb, log):
    if photo:
        thumb.set(shrink(photo))
