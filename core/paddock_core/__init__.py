"""The decisions of Yellow Paddock: values in, values out.

Nothing here reads a clock, a file, a socket or a database; times are passed in.
"""
