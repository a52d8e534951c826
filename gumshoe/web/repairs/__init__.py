"""What was one application until 0.2: its tables now belong to ledger, verdicts, proposal, work and clearing. Only its
migrations are left, so that a database of then is brought up to date."""
