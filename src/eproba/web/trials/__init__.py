"""trials"""
