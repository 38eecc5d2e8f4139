"""Assets: uploaded fonts, artwork, models and pictures."""
