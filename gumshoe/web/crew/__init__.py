"""Working together: who has a case, what it waits for, who else is in it."""
