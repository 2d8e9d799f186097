"""today"""
