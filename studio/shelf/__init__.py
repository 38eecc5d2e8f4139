"""The shelf: the page and the API of assets, which know who uses them."""
