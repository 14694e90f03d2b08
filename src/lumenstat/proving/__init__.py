"""What a checklist CAN do: findings of the model, and what happens when something is left out."""
