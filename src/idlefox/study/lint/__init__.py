"""What is odd in scripts and sheets although it can be played: each finding is proved on the model, never guessed from looks."""
