"""Starts and stops what Lauftakt needs on one machine: the private MariaDB, the worker, the server."""
