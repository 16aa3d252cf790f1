/* A plain sender and receiver of TCP: what benchmarks/network.py holds the program against.
   tcp recv SECONDS    listens on port 5999, counts SECONDS after a ramp of 0.3 s, prints bytes per second
   tcp ADDRESS SECONDS sends blocks of 256 KiB for that long */
#include <arpa/inet.h>
#include <netinet/in.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

static double now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return t.tv_sec + t.tv_nsec / 1e9;
}

static void receive(int s, double seconds, char *room) {
    double start = now() + 0.3, end = start + seconds, first = 0, last = 0, at;
    long bytes = 0, count;
    while ((count = recv(s, room, 1 << 20, 0)) > 0 && (at = now()) <= end) {
        if (first)
            bytes += count;
        else if (at >= start)
            first = at;
        last = at;
    }
    printf("%.0f\n", bytes / (last - first));
}

int main(int argc, char **argv) {
    struct sockaddr_in address = {.sin_family = AF_INET, .sin_port = htons(5999)};
    char *room = calloc(1, 1 << 20);
    double seconds = atof(argv[2]), end;
    int s, one = 1, l;
    signal(SIGPIPE, SIG_IGN);
    if (!strcmp(argv[1], "recv")) {
        l = socket(AF_INET, SOCK_STREAM, 0);
        setsockopt(l, SOL_SOCKET, SO_REUSEADDR, &one, sizeof one);
        bind(l, (void *)&address, sizeof address);
        listen(l, 1);
        s = accept(l, 0, 0);
        receive(s, seconds, room);
        return 0;
    }
    inet_pton(AF_INET, argv[1], &address.sin_addr);
    do {
        usleep(10000);
        s = socket(AF_INET, SOCK_STREAM, 0);
    } while (connect(s, (void *)&address, sizeof address) && !close(s));
    end = now() + seconds + 2;
    while (now() < end && send(s, room, 1 << 18, 0) > 0) {
    }
    return 0;
}
