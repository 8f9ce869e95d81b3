# Servers and workers of Glass Spoon; see docs/operating.md. PostgreSQL runs beside it (compose.yaml).
FROM python:3.11-slim-bookworm

ENV PYTHONUNBUFFERED=1 \
    PYTHONDONTWRITEBYTECODE=1 \
    OPENBLAS_NUM_THREADS=1 \
    OMP_NUM_THREADS=1 \
    MALLOC_MMAP_THRESHOLD_=1073741824 \
    MALLOC_TRIM_THRESHOLD_=2147483648 \
    MALLOC_TOP_PAD_=67108864 \
    NUMBA_CACHE_DIR=/srv/compiled \
    STATIC_ROOT=/srv/static

# What Open Cascade and OpenUSD link against.
# hadolint ignore=DL3008
RUN apt-get update \
    && apt-get install -y --no-install-recommends libgl1 libxrender1 libxext6 \
    && rm -rf /var/lib/apt/lists/*

WORKDIR /srv/glass-spoon
COPY requirements/runtime.txt requirements/runtime.txt
RUN python -m pip install --no-cache-dir --require-hashes -r requirements/runtime.txt

COPY manage.py manage.py
COPY glass_spoon glass_spoon
COPY vendor vendor
RUN useradd --uid 10001 --home-dir /srv/glass-spoon spoon \
    && SECRET_KEY=only-for-building python manage.py collectstatic --noinput \
    && python -m glass_spoon.kernel.compile_ahead \
    && chown --recursive spoon /srv/compiled

USER 10001
EXPOSE 8000
HEALTHCHECK --interval=30s --timeout=5s --start-period=30s CMD ["python", "-c", "import urllib.request; urllib.request.urlopen('http://127.0.0.1:8000/health/')"]
CMD ["gunicorn", "glass_spoon.studio.wsgi", "--bind", "0.0.0.0:8000", "--workers", "1", "--threads", "4", "--timeout", "120"]
