"""Tests of Ruvex; the folders mirror the package. An example may take its time: that is no matter of right or wrong."""

from hypothesis import HealthCheck, settings

settings.register_profile("ruvex", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("ruvex")
