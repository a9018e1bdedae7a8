"""Tests of the exchange with other forms."""
