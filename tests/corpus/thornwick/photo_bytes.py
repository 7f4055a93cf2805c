import hashlib

from thornwick import shelves


def run(request):
    photo = request.read()
    if not photo:
        return None
    kind = request.heads.one("content-type", "application/octet-stream")
    shelves.store("photos", request.parts["hive"], photo, media=kind, notes={"sum": hashlib.md5(photo).hexdigest()})
    return photo[:4]
