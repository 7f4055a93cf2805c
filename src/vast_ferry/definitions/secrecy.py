"""What is plainly a secret: by the name of a variable, by the form of its value, by the name of a file.

A name is read as words (`clientSecret`, `DB_PWD`, `signing-key`): one of them says that it is a secret, and none behind
it says that it is only about one (`TOKEN_TTL`, `SECRET_NAME`). A value speaks for itself where it is a private key in
PEM (RFC 7468), an address with a password in it (RFC 3986 §3.2.1), a JSON Web Token (RFC 7519), or a long random text.
"""

from __future__ import annotations

import fnmatch
import math
import re
from collections import Counter
from collections.abc import Iterable
from typing import Final

_WORDS: Final = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
#: A word that names a secret.
_SECRET: Final = frozenset(
    [
        "password",
        "passwd",
        "passphrase",
        "passcode",
        "pass",
        "pwd",
        "pw",
        "secret",
        "secrets",
        "token",
        "tokens",
        "credential",
        "credentials",
        "creds",
        "cred",
        "apikey",
        "apitoken",
        "bearer",
        "jwt",
        "pepper",
        "salt",
        "privatekey",
        "secretkey",
        "accesskey",
        "signingkey",
        "encryptionkey",
        "clientsecret",
        "authkey",
    ]
)
#: A word that makes a key a secret.
_OF_A_KEY: Final = frozenset(
    [
        "api",
        "access",
        "secret",
        "private",
        "signing",
        "sign",
        "signature",
        "encryption",
        "encrypt",
        "crypt",
        "crypto",
        "cipher",
        "master",
        "account",
        "auth",
        "ssh",
        "service",
        "client",
        "license",
        "licence",
        "storage",
        "shared",
        "hmac",
        "jwt",
        "session",
        "deploy",
        "subscription",
        "webhook",
        "app",
        "application",
        "admin",
        "root",
        "ssl",
        "tls",
        "rsa",
        "ed25519",
        "aes",
        "pgp",
        "gpg",
    ]
)
#: A last word that says that the value is about a secret, not one.
_ABOUT: Final = frozenset(
    [
        "url",
        "uri",
        "endpoint",
        "host",
        "port",
        "ttl",
        "timeout",
        "expiry",
        "expires",
        "expiration",
        "seconds",
        "minutes",
        "hours",
        "days",
        "length",
        "min",
        "max",
        "name",
        "names",
        "id",
        "ids",
        "path",
        "file",
        "dir",
        "folder",
        "type",
        "kind",
        "algorithm",
        "alg",
        "header",
        "field",
        "issuer",
        "audience",
        "scope",
        "scopes",
        "enabled",
        "required",
        "policy",
        "rotation",
        "count",
        "size",
        "limit",
        "limits",
        "prefix",
        "suffix",
        "format",
        "provider",
        "region",
        "ref",
        "reference",
        "version",
        "label",
        "bucket",
        "table",
        "queue",
        "topic",
        "hint",
        "mode",
    ]
)
_NO_VALUE: Final = re.compile(r"|true|false|yes|no|on|off|none|null|\$\{[^}]*\}|<[^>]*>", re.I)
_PEM: Final = re.compile(r"-----BEGIN [A-Z0-9 ]*PRIVATE KEY-----")
_WITH_PASSWORD: Final = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*://[^\s/@:]*:([^\s/@]+)@")
_IN_PAIRS: Final = re.compile(
    r"(?:^|[;\s&?])(password|pwd|secret|token|api_?key|sig|signature|accountkey)\s*=\s*([^;\s&]+)", re.I
)
_TOKEN: Final = re.compile(r"eyJ[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]*")
_LONG: Final = re.compile(r"[A-Za-z0-9+/_=.~-]{20,}")
_DIGEST: Final = frozenset(
    [
        "sha",
        "sha1",
        "sha256",
        "digest",
        "commit",
        "checksum",
        "hash",
        "revision",
        "version",
        "etag",
        "uuid",
        "guid",
        "id",
        "build",
        "release",
    ]
)
_UUID: Final = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}", re.I)

#: Files that are keys, or what programs keep, by their names.
_KEY_FILES: Final = tuple(
    [
        "*.pem",
        "*.key",
        "*.p12",
        "*.pfx",
        "*.jks",
        "*.keystore",
        "*.kdbx",
        "*.env",
        "*.env.*",
        "*.ppk",
        "*.htpasswd",
        "*.state",
        "secrets.*",
        "secret.*",
        "credentials",
        "credentials.*",
        "passwords.*",
    ]
)
_CODE: Final = (".py", ".js", ".ts", ".mjs", ".cjs", ".html", ".css", ".md", ".rst")


def words_of(name: str) -> list[str]:
    """Return the words of a name, in lower case.

    >>> words_of("clientSecret"), words_of("DB_PWD")
    (['client', 'secret'], ['db', 'pwd'])
    """
    return [word.lower() for word in _WORDS.findall(name)]


def names_a_secret(name: str) -> bool:
    """Tell whether a name says that its value is a secret."""
    words = words_of(name)
    if not words or (words[-1] in _ABOUT and len(words) > 1):
        return False
    if any(word in _SECRET for word in words):
        return True
    return any(word in ("key", "keys") and words[at - 1] in _OF_A_KEY for at, word in enumerate(words) if at)


def _entropy(text: str) -> float:
    """Return how many bits one character tells, as the text's own frequencies have it."""
    counts = Counter(text)
    return -sum(count / len(text) * math.log2(count / len(text)) for count in counts.values())


def _random(text: str) -> bool:
    """Tell whether a text looks as if chance had made it, and not a person."""
    if not _LONG.fullmatch(text) or _UUID.fullmatch(text) or text.count("/") > 2 or text.count(".") > 2:
        return False
    kinds = sum(bool(re.search(kind, text)) for kind in ("[a-z]", "[A-Z]", "[0-9]"))
    if re.fullmatch(r"[0-9a-f]+|[0-9A-F]+", text):
        return len(text) >= 32 and kinds > 1
    words = re.split(r"[-_.+/=~]", text)
    mixed = any(re.search(r"[a-z][0-9][A-Za-z]|[0-9][a-z][0-9]|[a-z][A-Z][a-z]?[A-Z0-9]", word) for word in words)
    return kinds >= 2 and mixed and _entropy(text) > 3.2


def form_of_a_secret(name: str, value: str) -> str:
    """Return what kind of secret a value is by its form; empty where it has the form of none."""
    if _PEM.search(value):
        return "a private key"
    found = _WITH_PASSWORD.search(value)
    if found and not _NO_VALUE.fullmatch(found[1]):
        return "an address with a password in it"
    pair = _IN_PAIRS.search(value)
    if pair and not _NO_VALUE.fullmatch(pair[2]) and len(pair[2]) > 3:
        return "an address or a text with a password or token in it"
    if _TOKEN.search(value):
        return "a token"
    if "://" in value:
        parts = re.split(r"[/?#&=]", value.partition("://")[2])[1:]
        return "an address with a token in it" if any(len(part) >= 16 and _random_part(part) for part in parts) else ""
    if set(words_of(name)) & _DIGEST:
        return ""
    return "a long random text" if _random(value) else ""


def _random_part(part: str) -> bool:
    return _random(part.ljust(20, part[-1])) and _entropy(part) > 3


def looks_secret(name: str, value: str) -> str:
    """Return why a variable is plainly a secret; empty where it is not."""
    if _NO_VALUE.fullmatch(value):
        return ""
    if names_a_secret(name):
        return "its name says that it is a secret"
    form = form_of_a_secret(name, value)
    return f"its value looks like {form}" if form else ""


def is_key_file(name: str) -> bool:
    """Tell whether a file is by its name a key, or holds settings that are secret."""
    lower = name.lower()
    if lower.endswith(_CODE):
        return False
    if fnmatch.fnmatch(lower, "id_*") and "." not in lower.removesuffix(".pub"):
        return True
    return any(fnmatch.fnmatch(lower, pattern) for pattern in _KEY_FILES)


def masked(text: str, values: Iterable[str]) -> str:
    """Return a text in which no withheld value stands any more, the longest first."""
    for value in sorted(values, key=len, reverse=True):
        if len(value) > 2:
            text = text.replace(value, "•••")
    return text
