"""What is asked of a day, a line-up or a debrief: store and core put together. Knows no request and no job."""
