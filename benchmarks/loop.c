/* The reference for benchmarks/engine.py: the same requests in the shortest loop of C.
 *
 *     loop PATH MODE BLOCK DEPTH SECONDS SEED
 *
 * MODE: ring-random, ring-sequential (io_uring by its system calls, registered buffers and file), or plain-random
 * (positional reads, one at a time).  Each request is timed with the monotonic clock, as the program under test does.
 * Prints: requests seconds cpu_seconds median_latency_ns
 */
#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <linux/io_uring.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <time.h>
#include <unistd.h>

#define KEPT (1 << 22)
#define OFFSETS (1 << 16)

static uint32_t *latencies;
static size_t used;
static uint64_t offsets[OFFSETS], next_offset;

static uint64_t now_ns(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return t.tv_sec * 1000000000ull + t.tv_nsec;
}

static double cpu_seconds(void) {
    struct rusage r;
    getrusage(RUSAGE_SELF, &r);
    return r.ru_utime.tv_sec + r.ru_stime.tv_sec + (r.ru_utime.tv_usec + r.ru_stime.tv_usec) / 1e6;
}

static void die(const char *what) { perror(what); exit(1); }

static void keep(uint64_t ns) { if (used < KEPT) latencies[used++] = ns > UINT32_MAX ? UINT32_MAX : ns; }

static int by_value(const void *a, const void *b) {
    uint32_t x = *(const uint32_t *)a, y = *(const uint32_t *)b;
    return (x > y) - (x < y);
}

static uint64_t plain(int fd, char *buffer, size_t block, uint64_t end) {
    uint64_t done = 0, t;
    do {
        uint64_t begin = now_ns();
        if (pread(fd, buffer, block, offsets[next_offset++ % OFFSETS]) != (ssize_t)block) die("pread");
        t = now_ns();
        keep(t - begin);
        done++;
    } while (t < end);
    return done;
}

static uint64_t ring(int fd, char *buffer, size_t block, unsigned depth, uint64_t end) {
    struct io_uring_params p;
    memset(&p, 0, sizeof p);
    p.flags = IORING_SETUP_SUBMIT_ALL;
#if defined(IORING_SETUP_SINGLE_ISSUER) && defined(IORING_SETUP_DEFER_TASKRUN)
    p.flags |= IORING_SETUP_SINGLE_ISSUER | IORING_SETUP_DEFER_TASKRUN;
#endif
    int r = syscall(SYS_io_uring_setup, depth, &p);
    if (r < 0) die("io_uring_setup");
    char *sq = mmap(0, p.sq_off.array + p.sq_entries * 4, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_POPULATE, r, IORING_OFF_SQ_RING);
    char *cq = mmap(0, p.cq_off.cqes + p.cq_entries * sizeof(struct io_uring_cqe), PROT_READ | PROT_WRITE, MAP_SHARED | MAP_POPULATE, r, IORING_OFF_CQ_RING);
    struct io_uring_sqe *sqes = mmap(0, p.sq_entries * sizeof *sqes, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_POPULATE, r, IORING_OFF_SQES);
    if (sq == MAP_FAILED || cq == MAP_FAILED || (void *)sqes == MAP_FAILED) die("mmap");
    unsigned *sq_tail = (unsigned *)(sq + p.sq_off.tail), *sq_array = (unsigned *)(sq + p.sq_off.array), sq_mask = p.sq_entries - 1;
    unsigned *cq_head = (unsigned *)(cq + p.cq_off.head), *cq_tail = (unsigned *)(cq + p.cq_off.tail), cq_mask = p.cq_entries - 1;
    struct io_uring_cqe *cqes = (struct io_uring_cqe *)(cq + p.cq_off.cqes);
    struct iovec iov[depth];
    uint64_t begun[depth], done = 0;
    for (unsigned i = 0; i < depth; i++) { iov[i].iov_base = buffer + i * block; iov[i].iov_len = block; }
    if (syscall(SYS_io_uring_register, r, IORING_REGISTER_BUFFERS, iov, depth)) die("register buffers");
    if (syscall(SYS_io_uring_register, r, IORING_REGISTER_FILES, &fd, 1)) die("register file");
    unsigned tail = 0, head = 0, submit = depth, in_flight = depth;
    for (unsigned i = 0; i < depth; i++) {
        memset(&sqes[i], 0, sizeof sqes[i]);
        sqes[i].opcode = IORING_OP_READ_FIXED;
        sqes[i].flags = IOSQE_FIXED_FILE;
        sqes[i].addr = (uint64_t)iov[i].iov_base;
        sqes[i].len = block;
        sqes[i].buf_index = sqes[i].user_data = i;
        sqes[i].off = offsets[next_offset++ % OFFSETS];
        sq_array[tail++ & sq_mask] = i;
        begun[i] = now_ns();
    }
    while (in_flight) {
        __atomic_store_n(sq_tail, tail, __ATOMIC_RELEASE);
        if (syscall(SYS_io_uring_enter, r, submit, 1, IORING_ENTER_GETEVENTS, 0, 0) < 0 && errno != EINTR) die("io_uring_enter");
        uint64_t t = now_ns();
        unsigned until = __atomic_load_n(cq_tail, __ATOMIC_ACQUIRE), first = tail;
        for (submit = 0; head != until; head++) {
            struct io_uring_cqe *c = &cqes[head & cq_mask];
            unsigned i = c->user_data;
            if (c->res != (int)block) die("request");
            keep(t - begun[i]);
            done++;
            if (t >= end) { in_flight--; continue; }
            sqes[i].off = offsets[next_offset++ % OFFSETS];
            sq_array[tail++ & sq_mask] = i;
            submit++;
        }
        __atomic_store_n(cq_head, head, __ATOMIC_RELEASE);
        t = now_ns();
        for (; first != tail; first++) begun[sq_array[first & sq_mask]] = t;
    }
    return done;
}

int main(int count, char **words) {
    if (count != 7) { fprintf(stderr, "usage: loop PATH MODE BLOCK DEPTH SECONDS SEED\n"); return 2; }
    int fd = open(words[1], O_RDONLY | O_DIRECT);
    if (fd < 0) die(words[1]);
    size_t block = strtoull(words[3], 0, 10);
    unsigned depth = atoi(words[4]);
    uint64_t places = lseek(fd, 0, SEEK_END) / block;
    srandom(atoi(words[6]));
    int sequential = strstr(words[2], "sequential") != NULL;
    for (unsigned i = 0; i < OFFSETS; i++)
        offsets[i] = (sequential ? i % places : (((uint64_t)random() << 31) ^ random()) % places) * block;
    char *buffer = mmap(0, block * depth, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_POPULATE, -1, 0);
    latencies = malloc(KEPT * sizeof *latencies);
    memset(latencies, 1, KEPT * sizeof *latencies);
    double cpu = cpu_seconds();
    uint64_t start = now_ns(), end = start + (uint64_t)(atof(words[5]) * 1e9);
    uint64_t done = strncmp(words[2], "plain", 5) ? ring(fd, buffer, block, depth, end) : plain(fd, buffer, block, end);
    double seconds = (now_ns() - start) / 1e9;
    cpu = cpu_seconds() - cpu;
    qsort(latencies, used, sizeof *latencies, by_value);
    printf("%llu %.9f %.6f %u\n", (unsigned long long)done, seconds, cpu, latencies[used / 2]);
    return 0;
}
