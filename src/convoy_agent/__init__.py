"""The agent: the rules of convoy_core on a real folder. Knows the site's API, sources over HTTP, and disks."""

import sys

# httpx brings a command line of its own, which is loaded with it wherever what that needs is there, and takes as long
# as all the rest of httpx. Nobody here uses it; without it, httpx says so and goes on.
sys.modules.setdefault("httpx._main", None)  # type: ignore[arg-type]
