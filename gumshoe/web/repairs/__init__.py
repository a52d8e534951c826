"""Verdict, repair lines, loose ends, clearing."""
