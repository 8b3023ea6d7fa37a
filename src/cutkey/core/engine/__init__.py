"""From a job to its kit: every step remembered by what it depends on."""
