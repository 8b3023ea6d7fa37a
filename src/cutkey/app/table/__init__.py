"""The light table: pictures and regions in two dimensions."""
