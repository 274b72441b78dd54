"""The place Debrief: what a driver is asked to do and to keep after a run, the sheet, and what became of it."""
