"""What next: six choices for each treatment, with their reasons; scaling up; the plan that would settle it."""
