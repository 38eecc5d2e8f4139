"""Whatever the API is asked, and whatever a scene is nearly: the answer is one in words, never a fault of the server.

PIROUETTE_FUZZ  how many times as long as usual to look for something else; a hundred is about an hour
"""

import copy
import os
import random

import pytest
import schemathesis
from django.core.wsgi import get_wsgi_application
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from pirouette import catalogue
from pirouette.document.read import new_scene
from studio.scenes.models import Scene
from studio.scenes.services import create_scene
from tests.document.test_fuzz import ODD, places, put
from tests.scenes import document, figure, step
from tests.studio.test_wrong import asks, post

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.timeout(7200)]
TIMES = int(os.environ.get("PIROUETTE_FUZZ", 1))
LONG = {
    "deadline": None,
    "suppress_health_check": list(HealthCheck),
    # What was found is told as it was found: making it smaller would take longer than looking for it.
    "phases": [Phase.explicit, Phase.generate],
    # In a short stretch always the same is tried.
    "derandomize": TIMES == 1,
    "database": None,
}
TOKEN = {"X-CSRFToken": "k" * 32, "Cookie": f"csrftoken={'k' * 32}"}
# As much as is asked for at a time, so that a stretch tries much and waits little.
MOST = {"width": 64, "height": 64, "samples": 2, "last": 3}


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


# --- the API by its own description -----------------------------------------------------------------------------------

schema = schemathesis.openapi.from_wsgi("/api/openapi.json", get_wsgi_application(), base_url="http://localhost")


@pytest.fixture
def small_scene():
    return create_scene(document(figure(step("sphere", rings=3, segments=4), step("row", count=2))))


def _kept_small(body):
    """Numbers in a body that only make an answer take longer."""
    if isinstance(body, dict):
        for name, most in MOST.items():
            if isinstance(body.get(name), (int, float)) and body[name] > most:
                body[name] = most
        if isinstance(body.get("frames"), list):
            del body["frames"][4:]


@schema.parametrize()
@settings(max_examples=6 * TIMES, **LONG)
def test_nothing_that_is_asked_by_the_description_is_a_fault(case, small_scene):
    ids = {"scene_id": small_scene.id, "job_id": 1, "slug": "pirouette-sans"}
    if len(repr(case.body)) % 4:
        case.path_parameters.update({name: ids[name] for name in case.path_parameters if name in ids})
    _kept_small(case.body)
    answer = case.call(headers={**(case.headers or {}), **TOKEN})
    assert answer.status_code < 500, (case.as_curl_command(), answer.text)
    if answer.status_code >= 400 and "json" in answer.headers.get("content-type", [""])[0]:
        assert answer.json()


# --- documents near right ones ----------------------------------------------------------------------------------------

KINDS = {family: list(catalogue.FAMILIES[family]) for family in ("steps", "clauses", "finishes")}
MORE_ODD = [
    *ODD,
    "figure",
    "f",
    0.5,
    1e9,
    -1e9,
    2**31,
    float(2**53),
    "#ff0000",
    "index",
    "../x",
    "\ud800",
    "a\n\nb",
    1e-320,
]


def sound_scene(chance) -> dict:
    """A small scene of kinds chosen by chance, each with its defaults."""
    forms = [kind.id for kind in catalogue.STEPS.values() if kind.group == "form"]
    rest = [kind.id for kind in catalogue.STEPS.values() if kind.group != "form"]

    def made(kind, number):
        return {"id": f"s{number}", "kind": kind, "settings": {}}

    raw = new_scene("Nearly")
    raw["frame"] = {"width": 64, "height": 36}
    raw["clock"] = {"fps": 24, "frames": 8, "loops": chance.random() < 0.7}
    clauses = [made(kind, k) for k, kind in enumerate(chance.sample(KINDS["clauses"], 2))]
    after = {"then": chance.choice(["follows", "keeps", "lets go"])}
    raw["fields"] = [{"id": "f", "name": "Field", "clauses": clauses, "after": after}]
    raw["figures"] = [
        {
            "id": f"figure{number}",
            "name": f"Figure {number}",
            "routine": [made(kind, k) for k, kind in enumerate([chance.choice(forms), *chance.sample(rest, 3)])],
            "looks": [{"id": "look", "kind": chance.choice(["surface", "wire", "dots"]), "settings": {}}],
        }
        for number in range(2)
    ]
    for one in raw["figures"]:
        for part in (*one["routine"][1:], *one["looks"]):
            if chance.random() < 0.4:
                part["only_where"] = "f"
        for part in one["routine"]:
            part["settings"] = {name: value for name, value in smaller(part["kind"]).items() if value is not None}
    raw["finish"] = [made(kind, k) for k, kind in enumerate(chance.sample(KINDS["finishes"], 2))]
    return raw


def smaller(kind) -> dict:
    """Settings that make a kind quick."""
    declared = {one["name"]: one for one in catalogue.STEPS[kind].describe()["settings"]}
    wanted = {"count": 3, "columns": 2, "rows": 2, "segments": 6, "rings": 4, "parts": 4, "times": 1}
    return {name: value for name, value in wanted.items() if name in declared}


def nearly(seed) -> dict:
    """A sound scene with something odd in one to three places, at times something of its own."""
    chance = random.Random(seed)
    raw = sound_scene(chance)
    for _ in range(chance.randint(0, 3)):
        ways = [way for way in places(raw) if way]
        way = chance.choice(ways)
        value = chance.choice(MORE_ODD)
        if chance.random() < 0.3:
            value = raw
            for name in chance.choice(ways):
                value = value[name]
        raw = put(raw, way, copy.deepcopy(value))
    return raw


@given(st.integers(0, 2**63))
@settings(max_examples=40 * TIMES, **LONG)
def test_a_scene_that_is_nearly_right_is_refused_in_words_or_answers_all(client, seed):
    answer = post(client, "/api/scenes", nearly(seed))
    assert answer.status_code in (201, 422), (seed, answer.content)
    if answer.status_code == 422:
        assert all(problem["message"] for problem in answer.json()["problems"])
        return
    stored = answer.json()["id"]
    for answer in asks(client, stored):
        assert answer.status_code in (200, 404, 422), (seed, answer.content)
    Scene.objects.get(id=stored).delete()
