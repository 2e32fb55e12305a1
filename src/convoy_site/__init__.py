"""The site: what is kept, who may do what, and the API. Every rule of the job comes from convoy_core."""
