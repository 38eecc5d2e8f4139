"""Steps of a routine that stand as one line: its name, and the values of theirs that its maker chose to show."""

MAX_SHOWN = 12
MAX_WORDS = 40
MAX_VALUE = 200


def read_phrases(reader, raw, where, figure):
    """Check what the phrases of a figure say. They change nothing that is computed: the page alone knows what to do."""
    for index, item, path in reader.items(raw, "phrases", where):
        at = f"{path}/{index}"
        reader.only(item, at, "id", "name", "shows")
        reader.identity(item, at, f"phrases {figure}")
        reader.name(item, at, "Phrase")
        shows = list(reader.items(item, "shows", at))
        if len(shows) > MAX_SHOWN:
            reader.add(f"{at}/shows", f"{len(shows)} values; allowed up to {MAX_SHOWN}", "phrase.shows")
        for k, shown, below in shows:
            _check_shown(reader, shown, f"{below}/{k}")


def _check_shown(reader, shown, at):
    reader.only(shown, at, "value", "words", "range")
    for name, most in (("value", MAX_VALUE), ("words", MAX_WORDS)):
        text = shown.get(name)
        if not isinstance(text, str) or not 1 <= len(text.strip()) <= most:
            reader.add(f"{at}/{name}", f"allowed a text of 1 to {most} characters", "phrase.text")
    limits = shown.get("range")
    is_range = isinstance(limits, list) and len(limits) == 2 and all(_is_number(one) for one in limits)
    if limits is not None and not (is_range and limits[0] < limits[1]):
        reader.add(f"{at}/range", "allowed the least and the most, two numbers", "phrase.range")


def check_phrase(reader, item, where, figure):
    """Check that the phrase that a step belongs to is one of its figure's."""
    phrase = item.get("phrase")
    if phrase is not None and str(phrase) not in reader.ids.get(f"phrases {figure}", ()):
        reader.add(f"{where}/phrase", f"there is no phrase {phrase!r} in this figure", "phrase.unknown")


def _is_number(value) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)
