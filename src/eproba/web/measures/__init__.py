"""measures"""
