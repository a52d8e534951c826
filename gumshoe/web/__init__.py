"""The Django side: one app for each stage of the work; rules live in the core."""
