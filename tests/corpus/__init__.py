"""A seeded corpus of messy reports, each made from its truth: the tidy records first, then the sheets that show them."""
