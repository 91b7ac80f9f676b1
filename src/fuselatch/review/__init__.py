"""Review forms: read their code, generate them, and check them."""
