"""Everything that findings, plans and notes say, in one room, so that it can be said in another language."""
