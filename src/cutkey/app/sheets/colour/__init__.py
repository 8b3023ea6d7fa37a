"""Sheet Colour: filaments and heights."""
