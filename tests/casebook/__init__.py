"""Cases from the trade, in our own words, and what a sound diagnosis must say of them (``docs/casebook.md``)."""
