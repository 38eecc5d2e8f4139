"""What all tests share: a data folder of their own."""

import os
import tempfile

os.environ["PIROUETTE_DATA"] = tempfile.mkdtemp(prefix="pirouette-tests-")
# The browser tests ask the database from the event loop of Playwright's thread.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
