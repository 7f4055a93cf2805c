"""Decorators of functions that are no handlers: what each does with what it is given."""

from functools import lru_cache, wraps

from ostermere import books


def said(found):
    """Return what was found, and what came of generators."""
    return repr([list(one) if hasattr(one, "__next__") else one for one in found])


def default(function):
    def inner(*args, **kwargs):
        try:
            return function(*args, **kwargs)
        except (LookupError, TypeError):
            return 'none'
    return inner


def named(function):
    @wraps(function)
    def inner(*args, **kwargs):
        print(f'{function.__name__} {function.__qualname__!r}', function.__name__)
        return function(*args, **kwargs)
    return inner


def twice(function):
    def inner(*args, **kwargs):
        return f'{function(*args, **kwargs)}{function(*args, **kwargs)}'
    return inner


def told(times=2, of=(LookupError, ValueError)):
    def take(function):
        def inner(*args, **kwargs):
            for _ in range(times):
                try:
                    return function(*args, **kwargs)
                except of as error:
                    last = error
            return repr(last)
        return inner
    return take


def with_first(function):
    def inner(event, *args, **kwargs):
        if event is None:
            return 'nothing'
        return function(event, *args, **kwargs)
    return inner


def own(function):
    def inner(event, word='day'):
        return '<' + str(function(event, word)) + '>'
    return inner


def other(function):
    def inner(one, word='a'):
        return function(one, word.upper())
    return inner


def cut(function):
    def inner(*args, **kwargs):
        return function(*args[:1], **kwargs)
    return inner


def popped(function):
    def inner(*args, **kwargs):
        kwargs.pop('word', None)
        return function(*args, **kwargs)
    return inner


def shown(function):
    def inner(*args, **kwargs):
        print(len(args), kwargs)
        return function(*args, **kwargs)
    return inner


def counted(function):
    calls = 0

    def inner(*args, **kwargs):
        nonlocal calls
        calls += 1
        return f'{calls}{function(*args, **kwargs)}'
    return inner


def cached(function):
    known = {}

    def inner(*args, **kwargs):
        key = str(kwargs)
        if key not in known:
            known[key] = function(*args, **kwargs)
        return known[key]
    return inner


def yielding(function):
    def inner(*args, **kwargs):
        yield function(*args, **kwargs)
    return inner


def taken(function):
    def inner(*args, **kwargs):
        word = 'x'
        event = 3
        return f'{word}{event}{function(*args, **kwargs)}'
    return inner


def itself(function):
    def inner(*args, **kwargs):
        inner.calls = 1
        return function(*args, **kwargs)
    return inner


def by_lambda(function):
    return lambda *args, **kwargs: function(*args, **kwargs)


def same(function):
    function.marked = True
    return function


class by_class:
    def __init__(self, function):
        self.function = function

    def __call__(self, *args, **kwargs):
        return self.function(*args, **kwargs)


def cache(function):
    return lru_cache(maxsize=None)(function)


def never(function):
    @wraps(function)
    def inner(*args, **kwargs):
        return 'never'
    return inner


def listed(function):
    def inner(*args, **kwargs):
        return [function(*args, **kwargs) for _ in 'ab']
    return inner


def later(function):
    def inner(*args, **kwargs):
        run = lambda: function(*args, **kwargs)
        return run()
    return inner
