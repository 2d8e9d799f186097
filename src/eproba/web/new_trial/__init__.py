"""new_trial"""
