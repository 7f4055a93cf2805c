from thornwick import Reply


def run(request):
    if request.params.one("quiet"):
        return
    if (name := request.params.one("name")) is None:
        return "Hello!"
    return Reply(f"Hello, {name or 'you'}!")
