"""The studio: stores scenes, serves the page and its API, runs render workers."""
