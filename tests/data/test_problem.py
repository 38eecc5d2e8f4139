"""Where a problem is: as a path into the file, and as people say it."""

import pytest

from pirouette.data import Problem

PLACES = {
    "figures/Ball/routine/1 (grid)/columns": "Ball, line 2 (grid), columns",
    "figures/Ball/routine/0 (pushed)/forces/2 (wind)/only_where": "Ball, line 1 (pushed), force 3 (wind), only where",
    "figures/2024/looks/0 (surface)": "2024, look 1 (surface)",
    "fields/Near it/clauses/0 (near)": "Near it, clause 1 (near)",
    "finish/3 (curves)/red": "effect 4 (curves), red",
    "figures/0/routine/0/settings/text": "figure 1, line 1, text",
    "figures/Ball/place/position": "Ball, place, position",
    "figures/my_keys/looks": "my_keys, looks",
    "figures/keys/routine/0 (path)/nodes": "keys, line 1 (path), nodes",
    "figures/Vine/routine/0 (path)/nodes/2/at": "Vine, line 1 (path), point 3, at",
    "lights": "lights",
    "": "",
}


@pytest.mark.parametrize(("path", "said"), PLACES.items())
def test_a_place_is_said_in_words_and_counted_from_one(path, said):
    problem = Problem(path, "what is wrong", "some.code")
    assert problem.where == said
    assert problem.words == (f"{said}: what is wrong" if said else "what is wrong")
    assert str(problem) == (f"{path}: what is wrong [some.code]" if path else "what is wrong [some.code]")
