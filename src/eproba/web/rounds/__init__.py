"""rounds"""
