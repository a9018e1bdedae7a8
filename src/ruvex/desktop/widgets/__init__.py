"""The pieces that views and the window are made of."""
