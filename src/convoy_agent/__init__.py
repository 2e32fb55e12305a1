"""The agent: the rules of convoy_core on a real folder. Knows the site's API, sources over HTTP, and disks."""
