"""How colours get into the print: as bodies of their own, or by height, with the filament changed at layers."""
