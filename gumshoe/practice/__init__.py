"""The trainer: cars with faults that nobody sees, what a customer would tell of them, and what a line of work was
worth. It knows both the stand-ins and the reasoning, which know nothing of each other; neither knows it."""
