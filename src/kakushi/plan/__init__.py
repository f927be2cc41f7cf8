"""The pipeline that joins the stages: a job in, everything derived out."""
