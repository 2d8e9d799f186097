"""pours"""
