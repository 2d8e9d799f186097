"""paper"""
