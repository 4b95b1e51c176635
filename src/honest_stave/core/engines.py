"""Names of engines: what they are called, and the version after it."""


def engines_since(engine: str, first: int) -> tuple[str, ...]:
    """An engine and those before it, which keep their readings in the same way.

    Args:
        engine: name and version, ``notes 16``.
        first: the earliest version.
    """
    name, version = engine.split()
    return tuple(f"{name} {number}" for number in range(first, int(version) + 1))
