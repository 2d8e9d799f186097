"""pictures"""
