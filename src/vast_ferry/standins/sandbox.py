"""What a worker may see, reach and use up: namespaces of its own, a file system of its own, and limits.

Run in the keeper and the processes that it forks, so it needs nothing but the standard library and the C library. No
privilege is needed where the system has user namespaces (Linux, `user_namespaces(7)`): in one of its own a process may
arrange mounts, processes and network as it likes, and none of it is seen outside.

A worker's file system is made from nothing: a small read-only root, into which the interpreter, its packages and the
system's programs are bound read-only, and three places that can be written, all on one file system in memory and of a
bounded size: the project (an overlay over the deployed copy, so every run starts from the same files), `/tmp`, and
where the stand-in's services keep what they hold. Once it is the root, nothing else can be named any more.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import resource
import shutil
import sys
from typing import Any

NEW_FILES, NEW_USER, NEW_PROCESSES, NEW_NETWORK, NEW_IPC = 0x20000, 0x10000000, 0x20000000, 0x40000000, 0x08000000
READ_ONLY, NO_SUID, NO_DEV, BIND, RECURSIVE, PRIVATE = 1, 2, 4, 4096, 16384, 1 << 18
DETACH = 2
_DEATH_SIGNAL, _DUMPABLE, _DROP_BOUND, _SUBREAPER, _NO_NEW_PRIVILEGES = 1, 4, 24, 36, 38
_MOUNT_SETATTR = 442  # the same number on every architecture
_PIVOT_ROOT = {"x86_64": 155, "aarch64": 41, "riscv64": 41, "ppc64le": 203, "s390x": 217, "i686": 217, "armv7l": 218}

PROJECT, SCRATCH, SERVICES = "/srv/project", "/tmp", "/run/stand-in/held"  # noqa: S108  (inside of the worker)
#: What a worker's files may take together, and one file by itself.
MOST_DISK = 256 * 1024 * 1024
MOST_FILE = 128 * 1024 * 1024
#: A process too many is a fork that never ends.
MOST_PROCESSES = 64
#: What the interpreter and its libraries take before a handler takes anything.
MARGIN = 256 * 1024 * 1024

_libc = ctypes.CDLL(None, use_errno=True)


def _checked(result: int, what: str) -> None:
    if result:
        number = ctypes.get_errno()
        raise OSError(number, f"{what}: {os.strerror(number)}")


def unshare(flags: int) -> None:
    """Leave the namespaces that `flags` name for new ones."""
    _checked(_libc.unshare(flags), "unshare")


def mount(source: str, target: str, kind: str, flags: int, data: str = "") -> None:
    """Mount a file system, or with BIND a folder or file that is there."""
    encoded = (
        source.encode(),
        os.fsencode(target),
        kind.encode() or None,
        ctypes.c_ulong(flags),
        data.encode() or None,
    )
    _checked(_libc.mount(*encoded), f"mount {target}")


def control(option: int, value: int = 0) -> int:
    """Call prctl(2)."""
    done: int = _libc.prctl(option, ctypes.c_ulong(value), 0, 0, 0)
    return done


def enter() -> None:
    """Give this process, and all that it forks, a user namespace with no network, and mounts that stay its own."""
    user, group = os.getuid(), os.getgid()
    unshare(NEW_USER | NEW_FILES | NEW_NETWORK | NEW_IPC)
    for path, text in (
        ("setgroups", "deny"),
        ("uid_map", f"{user} {user} 1"),
        ("gid_map", f"{group} {group} 1"),
    ):
        with open(f"/proc/self/{path}", "w", encoding="ascii") as file:
            file.write(text)
    mount("none", "/", "", RECURSIVE | PRIVATE)


def readable() -> list[str]:
    """Return the folders that hold the interpreter, its packages, and the system's libraries and programs."""
    wanted = ["/usr", sys.base_prefix, sys.prefix, sys.exec_prefix, *sys.path]
    folders = sorted({os.path.realpath(path) for path in wanted if path and os.path.isdir(path)})
    home = os.path.expanduser("~")
    kept: list[str] = []
    for folder in folders:
        if folder in ("/", home) or home.startswith(folder + os.sep):
            continue  # whoever keeps an interpreter so high up would open everything
        if not any(folder.startswith(above + os.sep) for above in kept):
            kept.append(folder)
    return kept


_SYSTEM_LINKS = ("/bin", "/sbin", "/lib", "/lib32", "/lib64", "/libx32")
_SYSTEM_FILES = (
    "/etc/ld.so.cache",
    "/etc/localtime",
    "/etc/mime.types",
    "/etc/nsswitch.conf",
    "/etc/alternatives",
    "/etc/ssl/certs",
    "/etc/ssl/openssl.cnf",
    *(f"/dev/{name}" for name in ("null", "zero", "full", "random", "urandom")),
)


def _bind(source: str, base: str, *, writable: bool = False) -> None:
    target = base + source
    if os.path.isdir(source):
        os.makedirs(target, exist_ok=True)
    else:
        os.makedirs(os.path.dirname(target), exist_ok=True)
        with open(target, "ab"):
            pass
    mount(source, target, "", BIND | RECURSIVE)
    if not writable:
        _read_only(target)


class _MountAttributes(ctypes.Structure):
    _fields_ = [(name, ctypes.c_uint64) for name in ("set", "clear", "propagation", "namespace")]


def _read_only(target: str, flags: int = READ_ONLY | NO_SUID) -> None:
    """Make a mount and all below it read-only (mount_setattr(2))."""
    attributes = _MountAttributes(flags, 0, 0, 0)
    recursive, here = 0x8000, -100
    done = _libc.syscall(
        _MOUNT_SETATTR, here, os.fsencode(target), recursive, ctypes.byref(attributes), ctypes.sizeof(attributes)
    )
    _checked(done, f"mount_setattr {target}")


def build_base(base: str, folders: list[str]) -> None:
    """Make on the empty folder `base` what every worker's file system begins with: all of it read-only."""
    mount("tmpfs", base, "tmpfs", NO_SUID | NO_DEV, "size=4m,mode=755")
    for folder in folders:
        _bind(folder, base)
    for path in _SYSTEM_LINKS:
        if os.path.islink(path):
            os.symlink(os.readlink(path), base + path)
        elif os.path.isdir(path):
            _bind(path, base)
    for path in _SYSTEM_FILES:
        if os.path.exists(path):
            _bind(path, base, writable=path.startswith("/dev/"))
    for name, target in (("fd", "self/fd"), ("stdin", "self/fd/0"), ("stdout", "self/fd/1"), ("stderr", "self/fd/2")):
        os.symlink(f"/proc/{target}", f"{base}/dev/{name}")
    user, group = os.getuid(), os.getgid()
    _text(f"{base}/etc/passwd", f"worker:x:{user}:{group}::{SCRATCH}:/bin/sh\n")
    _text(f"{base}/etc/group", f"worker:x:{group}:\n")
    _text(f"{base}/etc/hosts", "127.0.0.1 localhost\n")
    for path in (_ROOM, PROJECT, SCRATCH, os.path.dirname(SERVICES), "/dev/shm", "/proc"):  # noqa: S108
        os.makedirs(base + path, exist_ok=True)
    _checked(
        _libc.mount(None, os.fsencode(base), None, ctypes.c_ulong(32 | READ_ONLY | NO_SUID | NO_DEV), None),
        "remount",
    )


def enter_root(base: str, project: str, folders: list[str]) -> None:
    """Complete for one worker what `build_base` made of these folders, and make it the root of this process."""
    _writable_places(base, project)
    for folder in folders:
        if folder.startswith(SCRATCH + os.sep):  # an interpreter there is hidden by the worker's own
            _bind(folder, base)
    # A system may forbid it inside of a container; then there is none, and with it no sight of any process.
    with contextlib.suppress(OSError):
        mount("proc", f"{base}/proc", "proc", NO_SUID | NO_DEV)
        _bound_processes(f"{base}/proc")
    os.chdir(base)
    _checked(_libc.syscall(_PIVOT_ROOT[os.uname().machine], b".", b"."), "pivot_root")
    _checked(_libc.umount2(b".", DETACH), "umount")
    os.chdir("/")


def _bound_processes(proc: str) -> None:
    """Let this namespace have a few hundred processes at the most, where that is a namespace's own (Linux 6.14)."""
    version = [int(part) for part in os.uname().release.split(".")[:2] if part.isdecimal()]
    if version >= [6, 14]:
        with open(f"{proc}/sys/kernel/pid_max", "w", encoding="ascii") as file:
            file.write("400")


def _text(path: str, text: str) -> None:
    with open(path, "w", encoding="ascii") as file:
        file.write(text)


_ROOM = "/run/room"


def _writable_places(base: str, project: str) -> None:
    room = base + _ROOM
    mount("tmpfs", room, "tmpfs", NO_SUID | NO_DEV, f"size={MOST_DISK},mode=755")
    for name in ("upper", "work", "scratch", "services", "shm"):
        os.mkdir(f"{room}/{name}")
    target = base + PROJECT
    try:
        layers = f"lowerdir={_escaped(project)},upperdir={room}/upper,workdir={room}/work"
        mount("overlay", target, "overlay", NO_SUID | NO_DEV, layers)
    except OSError:  # an older system: what is small enough is copied
        shutil.copytree(project, f"{room}/project")
        mount(f"{room}/project", target, "", BIND)
    for name, path in (("scratch", SCRATCH), ("services", os.path.dirname(SERVICES)), ("shm", "/dev/shm")):  # noqa: S108
        mount(f"{room}/{name}", base + path, "", BIND)


def _escaped(path: str) -> str:
    return path.replace("\\", "\\\\").replace(":", "\\:").replace(",", "\\,")


def give_up_privileges() -> None:
    """Drop every capability for good, also for programs that this process starts."""
    control(_NO_NEW_PRIVILEGES, 1)
    for capability in range(64):
        if control(_DROP_BOUND, capability):
            break
    header = (ctypes.c_uint32 * 2)(0x20080522, 0)
    nothing = (ctypes.c_uint32 * 6)()
    _libc.capset(ctypes.byref(header), ctypes.byref(nothing))


def die_with_parent() -> None:
    """Let this process be killed when the one that forked it ends."""
    control(_DEATH_SIGNAL, 9)


def adopt() -> None:
    """Become the parent of every process below whose own parent ends."""
    control(_SUBREAPER, 1)


def hide() -> None:
    """Keep other processes of the same user from looking into this one."""
    control(_DUMPABLE, 0)


def bound(memory: int, *, processes: bool) -> None:
    """Bound what this process may take; `processes`: also how many there may be of this user in its namespace."""
    for what, most in (
        (resource.RLIMIT_DATA, memory + MARGIN),
        (resource.RLIMIT_FSIZE, MOST_FILE),
        (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_NOFILE, 1024),
        *([(resource.RLIMIT_NPROC, 4 * MOST_PROCESSES)] if processes else []),
    ):
        _, hard = resource.getrlimit(what)
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)  # noqa: PLW2901
        resource.setrlimit(what, (most, most))


def family(top: int) -> list[int]:
    """Return the processes that there are below a process; with 1 for `top`, in a namespace of its own, all others."""
    parents: dict[int, list[int]] = {}
    try:
        names = [name for name in os.listdir("/proc") if name.isdigit()]
    except OSError:
        return []
    if top == 1:
        return [int(name) for name in names if name != "1"]
    for name in names:
        with contextlib.suppress(OSError, ValueError, IndexError), open(f"/proc/{name}/stat", "rb") as file:
            parents.setdefault(int(file.read().rpartition(b")")[2].split()[1]), []).append(int(name))
    found, waiting = [], [top]
    while waiting:
        children = parents.get(waiting.pop(), [])
        found += children
        waiting += children
    return found


def memory_of(processes: list[int], *, exactly: bool = False) -> int:
    """Return how much memory processes hold, in bytes; only `exactly` is what they share counted once (slow)."""
    total = 0
    for process in processes:
        names = ("smaps_rollup", ("Pss_Anon:", "Pss_Shmem:")) if exactly else ("status", ("RssAnon:", "RssShmem:"))
        try:
            with open(f"/proc/{process}/{names[0]}", encoding="ascii") as file:
                total += sum(int(line.split()[1]) * 1024 for line in file if line.startswith(names[1]))
        except (OSError, ValueError):
            if exactly and os.path.exists(f"/proc/{process}"):  # it hides, so all of it counts
                total += memory_of([process])
    return total


def kill_all(top: int) -> None:
    """Kill every process below one, those too that are started meanwhile."""
    for _ in range(100):
        below = family(top)
        for process in below:
            with contextlib.suppress(OSError):
                os.kill(process, 9)
        while True:
            try:
                if not os.waitpid(-1, os.WNOHANG)[0]:
                    break
            except OSError:
                break
        if not below:
            return


def told(without: dict[str, Any]) -> list[str]:
    """Return what is not held of the list above, in plain words; `without` says what could not be had, and why."""
    words = {
        "network": "handlers can reach the network",
        "files": "handlers can read and write whatever the user who runs this can",
        "processes": "handlers can see and end other processes of this user",
    }
    return [f"{words[name]} ({why})" for name, why in without.items() if name in words]
