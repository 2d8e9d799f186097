"""What devices typed in the garden: taken one by one, and what still waits on a device."""
