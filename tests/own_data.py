"""Gives each process that runs tests a data folder of its own, and patience, before Django's settings are read."""

import os
import tempfile

# Kernels that are not compiled yet take longer than people would wait.
os.environ["PIROUETTE_PATIENCE"] = "10"
os.environ["PIROUETTE_DATA"] = tempfile.mkdtemp(prefix="pirouette-tests-")
