"""How colours get into the print.

As bodies of their own, or by height, with the filament changed at layers.
"""
