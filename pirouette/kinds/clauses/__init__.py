"""Clauses: parts of a field."""
