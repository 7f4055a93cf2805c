from thornwick import Reply


def run(request):
    def name():
        return request.params.one("name", "you")

    def polite(text):
        return Reply(text, heads=[("content-type", "text/plain; charset=utf-8"), ("x-for", name())])

    return polite(f"Hello, {name()}")
