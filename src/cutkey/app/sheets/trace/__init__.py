"""Sheet Trace: picture to colour regions."""
