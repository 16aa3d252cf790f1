"""Tests of Ulterion."""

from hypothesis import settings

# how long an example takes says how busy the machine is, and fails no test
settings.register_profile("ulterion", deadline=None, max_examples=50)
settings.load_profile("ulterion")
