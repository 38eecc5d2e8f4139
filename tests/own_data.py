"""Gives each process that runs tests a data folder of its own, before Django's settings are read."""

import os
import tempfile

os.environ["PIROUETTE_DATA"] = tempfile.mkdtemp(prefix="pirouette-tests-")
