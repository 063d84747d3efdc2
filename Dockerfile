# Emblar in a container: web and worker from one image, PostgreSQL beside them (compose.yaml).
# Not built where it was written: only the commands inside were tried, on Debian.
FROM debian:bookworm-slim
RUN apt-get update -qq \
    && apt-get install -y -qq --no-install-recommends \
        python3.11 python3.11-venv libpango-1.0-0 libpangoft2-1.0-0 postgresql-client \
    && rm -rf /var/lib/apt/lists/* \
    && useradd --create-home emblar
WORKDIR /opt/emblar
COPY requirements.lock pyproject.toml README.md LICENSE ./
RUN python3.11 -m venv .venv \
    && .venv/bin/python -m pip install --no-cache-dir --require-hashes -r requirements.lock
COPY emblar ./emblar
RUN .venv/bin/python -m pip install --no-cache-dir --no-deps . \
    && mkdir /var/lib/emblar && chown emblar /var/lib/emblar
USER emblar
ENV EMBLAR_HOME=/var/lib/emblar EMBLAR_HOST=0.0.0.0
EXPOSE 8000
STOPSIGNAL SIGINT
CMD [".venv/bin/emblar", "serve", "--web-only"]
