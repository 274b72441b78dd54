"""A whole team in open formats: written into one archive, and taken in by another installation."""
