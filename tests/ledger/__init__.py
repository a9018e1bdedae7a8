"""What every figure is, by hand."""
