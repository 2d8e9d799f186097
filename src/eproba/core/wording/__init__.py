"""Every sentence about a verdict and its trust, a gap with its unit."""
