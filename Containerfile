# The command in a container: `podman build -t imbroglio .` (or `docker build -f Containerfile -t imbroglio .`), then
# `podman run --rm -v "$PWD:/work" imbroglio volatility bay.csv`, in the folder of the files.
FROM debian:bookworm-slim
ENV LANG=C.UTF-8
RUN apt-get update \
    && apt-get install -y --no-install-recommends r-base-core g++ gfortran make \
    && rm -rf /var/lib/apt/lists/*
COPY . /tmp/imbroglio
# What else it needs the project's own set-up installs, by apt-get, too.
RUN make -C /tmp/imbroglio install PREFIX=/usr/local \
    && rm -rf /tmp/imbroglio /var/lib/apt/lists/*
WORKDIR /work
ENTRYPOINT ["imbroglio"]
CMD ["--help"]
