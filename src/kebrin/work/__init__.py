"""Work: what is done to one sheet (read, laid out, tidied, proved), and to many (grouped, stamped, stacked, standardised)."""
