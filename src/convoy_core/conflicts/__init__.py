"""What lies where when builds are laid over each other, what is lost there, and who wins. Source: docs/rules.md, "Order
and conflicts".

Plain paths, hashes and trees of keys come in; nothing here knows an archive, a lock or a disk.
"""
