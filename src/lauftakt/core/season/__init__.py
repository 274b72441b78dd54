"""Over days: paces, records, what stays of what was asked, and the drivers of a school beside each other."""
