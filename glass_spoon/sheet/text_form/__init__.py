"""The written form of a sheet: Markdown that reads well in a mail and reads back to the same lines.

Verbs are bold, items in italics, values code, steps headings, remarks quotations, sizes a list, points and rows tables. What
may be written comes from the declarations of the verbs alone: a new verb can be written and read without a line here.
docs/sheet-text.md tells the form; `write_text` and `read_text` are each other's inverse.
"""
