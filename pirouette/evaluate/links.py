"""What settings refer to: other figures, guides, fields and assets, seen from where they are referred to."""

from dataclasses import replace

import numpy as np

from ..data import Mesh
from ..data.key import content_key
from ..data.link import Link, tree_over
from ..geometry.join import placed
from ..kernels.geometry.place import carried, inverted, turned_back
from .size import expanded

IDENTITY = np.eye(4)


def links_of(ev, settings, resolved, matrix, first_matrix=None) -> tuple[dict[str, Link], tuple]:
    """Return the links of settings by name, and keys of all of them.

    matrix     (4, 4) from the space of who refers to the world
    first_matrix  the same at the first frame, if things are wanted as they are then, too; their keys then hold that
    """
    links = {}
    for name, setting in settings.declared().items():
        value = getattr(resolved, name)
        if setting.sort == "reference" and value is not None:
            links[name] = _link(ev, setting.choices, value, matrix, first_matrix)
        elif setting.sort == "references":
            for number, thing_id in enumerate(value):
                links[f"{name}/{number}"] = _link(ev, setting.choices, thing_id, matrix, first_matrix)
        elif setting.sort == "asset" and value is not None:
            asset = ev.scene.library.find(value)
            links[name] = Link(content_key("asset", asset.digest), IDENTITY, asset=asset)
    return links, tuple((name, link.key) for name, link in links.items())


def _link(ev, families, thing_id, matrix, first_matrix) -> Link:
    scene = ev.scene
    if "fields" in families and thing_id in scene.fields_by_id:
        return _field_link(ev, scene.fields_by_id[thing_id], matrix)
    back, matrix_of_thing = inverted(matrix), ev.thing_matrix(thing_id)
    relative = back @ matrix_of_thing
    more, first_key = {}, None
    if first_matrix is not None:
        first = ev.at(scene.moment(0.0))
        place = first.thing_matrix(thing_id)
        more = {"first": inverted(first_matrix) @ place, "first_here": back @ place}
        first_key = tuple(more.values())
    if "guides" in families and thing_id in scene.guides_by_id:
        return Link(content_key("guide", relative, matrix_of_thing, first_key), relative, matrix_of_thing, **more)
    figure = scene.figures_by_id[thing_id]
    shape = ev.shape_of(figure)

    def mesh():
        return _mesh_of(ev, shape, relative)

    def tree():
        # The tree of a still figure is made once for all frames, and by whoever asks first.
        here = mesh()
        return ev.memo.get(content_key("tree", here.key), lambda: tree_over(here))

    if first_matrix is not None:
        first_shape = first.shape_of(figure)
        first_key = first_shape.key, *first_key
        more["make_rest"] = lambda: _mesh_of(ev, first_shape, more["first_here"])
    key = content_key("figure", shape.key, relative, matrix_of_thing, first_key)
    return Link(key, relative, matrix_of_thing, shape, mesh, make_tree=tree, **more)


def _mesh_of(ev, shape, relative) -> Mesh:
    key = content_key("linked", shape.key, relative)
    return ev.memo.get(key, lambda: replace(placed(expanded(ev.memo, shape), relative), key=key))


def _field_link(ev, field, matrix):
    def weigh(points):
        return ev.weights(field, carried(points, matrix))

    def direct(points):
        return turned_back(ev.directions(field, carried(points, matrix)), matrix)

    return Link(content_key("field", ev.field_key(field), matrix), IDENTITY, weigh=weigh, direct=direct)
