"""readings"""
