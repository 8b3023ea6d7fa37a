"""The compute process.

Solid operations hold Python's interpreter lock for as long as they run, so they never run in the window's
process.
"""
