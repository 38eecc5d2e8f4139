"""What pages are told of assets."""

from pirouette.assets.library import shipped

from .models import Asset


def describe(asset: Asset) -> dict:
    return {
        "id": asset.slug,
        "name": asset.name,
        "sort": asset.sort,
        "summary": asset.summary,
        "notes": asset.notes,
        "preview": f"/api/assets/{asset.slug}/preview?{asset.digest}",
    }


def describe_shipped() -> list[dict]:
    """Return the typefaces that come with the application."""
    library = shipped()
    return [
        {
            "id": slug,
            "name": library.find(slug).content.name,
            "sort": sort,
            "summary": "shipped",
            "notes": [],
            "preview": f"/api/assets/{slug}/preview?{library.find(slug).digest}",
        }
        for slug, sort in library.ids().items()
    ]


def describe_all() -> list[dict]:
    """Return every asset that a scene may name, the shipped typefaces among them."""
    return [*describe_shipped(), *(describe(asset) for asset in Asset.objects.all())]
