"""What a record may be: one model of limits a kind, used by every way in.

Forms, tables, exchange files, backups, the interface for programs and the command line all check
against these models, so a value refused by one is refused by all, with the same sentence.
"""
