"""What an instructor writes: airframe, checklist and exercise documents, and the expressions in them."""
