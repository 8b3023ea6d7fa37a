"""A print before it is printed.

The written file read as a stranger reads it, cut into layers, and drawn with a line of true width.

Nothing here is shared with what writes the file or places and cuts the design: what is found is found on the
file.
"""
