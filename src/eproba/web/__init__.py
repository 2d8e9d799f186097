"""Flask: a blueprint per place of the app, its views, forms and templates together."""
