"""Trying a pack before anybody plays it: on the bench, a folder and a sandbox of the site's, nobody's machine."""
