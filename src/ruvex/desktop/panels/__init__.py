"""What stands around every view: head band, dials, why, refusals."""
