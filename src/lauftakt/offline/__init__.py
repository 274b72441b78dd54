"""Logs in, findings out, without browser or database."""
