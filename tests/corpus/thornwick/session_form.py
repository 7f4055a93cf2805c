from urllib.parse import parse_qs

from thornwick import Reply


def run(request):
    cookies = request.heads.one("cookie") or ""
    form = parse_qs(request.text())
    if "member" not in form:
        return Reply("who?", status=403)
    if "sid=" in cookies:
        return Reply("welcome back", heads=[("set-cookie", "seen=1")])
    heads = [("location", form.get("next", ["/"])[0]), ("set-cookie", "sid=" + form["member"][0]), ("set-cookie", "theme=light")]
    return Reply(status=303, heads=heads)
