"""What all tests share; their data folder comes from own_data.py."""

import os

# The browser tests ask the database from the event loop of Playwright's thread.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"


def pytest_assertrepr_compare(op, left, right):
    """Tell where bytes of pictures and meshes part: the usual explanation of so many takes minutes."""
    if op == "==" and isinstance(left, bytes) and isinstance(right, bytes) and max(len(left), len(right)) > 1000:
        first = next((at for at, (one, other) in enumerate(zip(left, right, strict=False)) if one != other), None)
        where = "one is longer" if first is None else f"they part at byte {first:,}"
        return [f"{len(left):,} bytes == {len(right):,} bytes: {where}"]
    return None
