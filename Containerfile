# Mirvo in a container: the package is built in the first stage and installed alone in the second.
FROM python:3.11-slim AS build
WORKDIR /src
COPY . .
RUN pip wheel --quiet --require-hashes --wheel-dir /wheels -r requirements/runtime.txt \
    && pip install --quiet --require-hashes -r requirements/build.txt \
    && pip wheel --quiet --no-deps --no-build-isolation --wheel-dir /wheels .

FROM python:3.11-slim
COPY --from=build /wheels /wheels
RUN pip install --quiet --no-index --no-cache-dir --find-links /wheels mirvo \
    && rm -r /wheels \
    && useradd --create-home mirvo \
    && mkdir /data && chown mirvo /data
USER mirvo
ENV MIRVO_DATA=/data
VOLUME /data
EXPOSE 8000
CMD ["mirvo", "serve"]
