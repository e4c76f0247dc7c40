# Vast Prism for machines that do not run Debian 12:
#   podman build -t vprism .
#   podman run --rm -v "$PWD:/data" vprism spectrum scope.csv
FROM docker.io/library/debian:12 AS build
COPY . /src
WORKDIR /src
RUN tools/set-up build run && cmake --preset release && cmake --build --preset release \
    && cmake --install build --prefix /opt/vprism

FROM docker.io/library/debian:12
COPY packages.txt tools/set-up /src/
RUN mkdir -p /src/tools && mv /src/set-up /src/tools/ && /src/tools/set-up build run && rm -rf /var/lib/apt/lists/* /src
COPY --from=build /opt/vprism /usr/local
WORKDIR /data
ENTRYPOINT ["vprism"]
