"""The sentences people read, made from the codes and values the rules return.

One module a subject. Pages, files and the command line all take their sentences from here.
"""
