"""Names by synthesis: the reference's passage driven with a mistake put in, compared with what was driven."""
