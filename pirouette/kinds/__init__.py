"""One file per kind; the tables of them are in catalogue.py."""
