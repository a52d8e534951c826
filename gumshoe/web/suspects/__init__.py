"""The ranked suspects, the evidence matrix, the technician's rulings."""
