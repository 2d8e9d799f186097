"""base"""
