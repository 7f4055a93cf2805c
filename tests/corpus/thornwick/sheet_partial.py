import functools

from thornwick import shelves


def copy(name, content, to):
    shelves.store(to, name, content)


def run(notice):
    if not notice.thing.path.endswith(".csv"):
        return
    content = shelves.read(notice.thing.shelf, notice.thing.path)
    if content is None:
        raise FileNotFoundError(notice.thing.path)
    save = functools.partial(copy, notice.thing.path, content)
    for to in ("backup", "sums"):
        save(to)
