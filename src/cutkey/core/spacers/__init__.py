"""Setting out loose islands: spacers between them, and their template."""
