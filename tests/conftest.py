"""For all tests: examples are judged by what they do, never by how long a busy machine takes over them."""

from hypothesis import settings

settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")
