"""What all tests share; their data folder comes from own_data.py."""

import os

# The browser tests ask the database from the event loop of Playwright's thread.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
