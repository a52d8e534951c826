"""Find anything: one search, the lists of cases, vehicles and customers, and the pages of those two."""
