"""Run as `python -m bench [NAME…] [--json]`; see script/bench."""

import argparse
import sys

from .lines import run

parser = argparse.ArgumentParser(prog="bench", description="Measures speed against peers.")
parser.add_argument("names", nargs="*")
parser.add_argument("--json", action="store_true", help="print JSON")
options = parser.parse_args()
sys.exit(run(options.names, options.json))
