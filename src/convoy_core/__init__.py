"""The rules of the job: plain data in, plain data out.

Nothing here reads a clock, a disk, a network or a database; all of that comes in as values (an import
contract in the test run keeps it so). Nothing here knows a particular game: games are profiles.
"""
