"""Rules and checks: what they read, and how what follows is brought up to date."""
