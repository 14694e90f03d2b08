"""What comes next: how far people are in their courses, what they have mastered, and the plan of a day."""
