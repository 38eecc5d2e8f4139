"""What pages are told of all that scenes are made of."""

import json
from functools import cache
from hashlib import blake2b

from pirouette import catalogue
from pirouette.document import things


@cache
def catalogue_told() -> tuple[bytes, str]:
    """Return the catalogue as JSON, and its version: browsers keep it until there is another."""
    told = {**catalogue.describe(), "things": things.describe(), "formulas": catalogue.formula_words()}
    data = json.dumps(told).encode()
    return data, blake2b(data, digest_size=6).hexdigest()
