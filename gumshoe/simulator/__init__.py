"""Stand-in vehicles: physics, wiring and a control unit that finds faults by itself.

Nothing here knows the reasoning's tables. A fault is put into the physics; whether a code appears is decided by
the stand-in control unit's own monitors.
"""
