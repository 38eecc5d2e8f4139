"""Files that scenes use: fonts, artwork, models and pictures; how they are read, and where they are kept."""
