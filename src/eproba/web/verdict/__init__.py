"""verdict"""
