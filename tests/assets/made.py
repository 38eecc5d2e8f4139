"""What the tests of assets make shapes of."""

import numpy as np
from hypothesis import HealthCheck, settings

from pirouette import catalogue
from pirouette.assets.library import shipped
from pirouette.assets.svg import read_svg
from pirouette.data import Copies
from pirouette.data.link import Link
from tests.scenes import ROOT

STEPS = catalogue.STEPS
PACKAGES = ROOT / "node_modules"
SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100">{}</svg>'
)
QUICK = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])


def svg(body: str):
    return read_svg(SVG.format(body).encode())


def make(kind, asset, **raw):
    name = "typeface" if kind == "lettering" else "file"
    resolved = STEPS[kind].settings({name: asset.id, **raw}).resolve()
    return STEPS[kind].call(settings=resolved, links={name: Link("a", np.eye(4), asset=asset)})


def lettering(text, face="instrument-sans.woff2", **raw) -> Copies:
    return make("lettering", shipped().find(face), text=text, **raw)
