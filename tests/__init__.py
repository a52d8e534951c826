"""Tests: core and simulator stand alone, web and journeys need Django."""
