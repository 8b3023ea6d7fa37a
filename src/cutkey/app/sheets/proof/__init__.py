"""Sheet Proof: findings, and writing the kit."""
