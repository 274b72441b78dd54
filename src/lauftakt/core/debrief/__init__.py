"""What a driver is asked to do and to keep, with its target, and whether it was done by the next run."""
