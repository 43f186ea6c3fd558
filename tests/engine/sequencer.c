/* A stand-in for the kernel's MIDI sequencer, for machines that have none: with LD_PRELOAD, /dev/snd/seq is answered from
 * here, within one process, so that ALSA's own library and what is built on it can be tested as they are.
 *
 * After linux/sound/asequencer.h and the behaviour of sound/core/seq of Linux 6.1: clients, ports, subscriptions,
 * announcements, direct events, and queues that stamp what comes. Events are not scheduled. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdarg.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include <sound/asequencer.h>

#ifndef SNDRV_SEQ_IOCTL_USER_PVERSION /* the headers of Debian 12 do not have it yet */
#define SNDRV_SEQ_IOCTL_USER_PVERSION _IOW('S', 0x04, int)
#endif

enum { CLIENTS = 192, PORTS = 16, LINKS = 256, QUEUES = 32, FIRST = 128, THROUGH = 14, FDS = 4096, LONGEST = 1 << 16 };

struct client {
    int used, theirs, ours; /* the two ends of its connection */
    char name[64];
    struct snd_seq_port_info ports[PORTS];
    int port_used[PORTS];
};
struct queue { int used, runs; struct timespec since; };

static struct client clients[CLIENTS];
static struct snd_seq_port_subscribe links[LINKS];
static int link_used[LINKS], client_at[FDS];
static struct queue queues[QUEUES];
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

static int same(struct snd_seq_addr a, struct snd_seq_addr b) { return a.client == b.client && a.port == b.port; }

static struct snd_seq_port_info *port_at(struct snd_seq_addr at) {
    if (at.client >= CLIENTS || at.port >= PORTS || !clients[at.client].used || !clients[at.client].port_used[at.port])
        return NULL;
    return &clients[at.client].ports[at.port];
}

static void add_port(int client, int port, const char *name, unsigned capability) {
    struct snd_seq_port_info *info = &clients[client].ports[port];
    clients[client].port_used[port] = 1;
    info->addr.client = client, info->addr.port = port;
    strcpy(info->name, name);
    info->capability = capability, info->type = SNDRV_SEQ_PORT_TYPE_MIDI_GENERIC;
}

__attribute__((constructor)) static void begin(void) {
    clients[0].used = clients[THROUGH].used = 1;
    clients[0].ours = clients[THROUGH].ours = -1;
    strcpy(clients[0].name, "System");
    strcpy(clients[THROUGH].name, "Midi Through");
    add_port(0, 0, "Timer", SNDRV_SEQ_PORT_CAP_READ | SNDRV_SEQ_PORT_CAP_WRITE);
    add_port(0, 1, "Announce", SNDRV_SEQ_PORT_CAP_READ | SNDRV_SEQ_PORT_CAP_SUBS_READ);
    add_port(THROUGH, 0, "Midi Through Port-0", 0x63);
}

static struct snd_seq_real_time time_of(int number) {
    struct snd_seq_real_time found = {0, 0};
    struct timespec now;
    if (number < 0 || number >= QUEUES || !queues[number].runs)
        return found;
    clock_gettime(CLOCK_MONOTONIC, &now);
    long long ns = (now.tv_sec - queues[number].since.tv_sec) * 1000000000LL + now.tv_nsec - queues[number].since.tv_nsec;
    found.tv_sec = ns / 1000000000LL, found.tv_nsec = ns % 1000000000LL;
    return found;
}

static void to_subscribers(struct snd_seq_event *event, const char *data);

static void deliver(struct snd_seq_event event, struct snd_seq_addr to, const char *data) {
    struct snd_seq_port_info *port = port_at(to);
    if (!port)
        return;
    event.dest = to;
    if (to.client == THROUGH) {
        event.source = to;
        to_subscribers(&event, data);
        return;
    }
    if (port->flags & SNDRV_SEQ_PORT_FLG_TIMESTAMP) {
        event.queue = port->time_queue;
        event.flags = (event.flags & ~3) | SNDRV_SEQ_TIME_STAMP_REAL | SNDRV_SEQ_TIME_MODE_ABS;
        event.time.time = time_of(port->time_queue);
    }
    char room[LONGEST] = {0};
    size_t size = sizeof event;
    if ((event.flags & SNDRV_SEQ_EVENT_LENGTH_MASK) == SNDRV_SEQ_EVENT_LENGTH_VARIABLE) {
        if (event.data.ext.len > LONGEST - 2 * sizeof event)
            return;
        memcpy(room + size, data, event.data.ext.len);
        size += (event.data.ext.len + sizeof event - 1) / sizeof event * sizeof event;
    }
    memcpy(room, &event, sizeof event);
    if (clients[to.client].ours >= 0)
        send(clients[to.client].ours, room, size, MSG_DONTWAIT | MSG_NOSIGNAL);
}

static void to_subscribers(struct snd_seq_event *event, const char *data) {
    for (int k = 0; k < LINKS; k++)
        if (link_used[k] && same(links[k].sender, event->source))
            deliver(*event, links[k].dest, data);
}

static void announce(int type, int client, int port) {
    struct snd_seq_event event = {.type = type, .queue = 253, .source = {0, 1}};
    event.data.addr.client = client, event.data.addr.port = port;
    to_subscribers(&event, NULL);
}

static void drop_port(int client, int port) {
    struct snd_seq_addr at = {client, port};
    for (int k = 0; k < LINKS; k++)
        if (same(links[k].sender, at) || same(links[k].dest, at))
            link_used[k] = 0;
    clients[client].port_used[port] = 0;
    announce(SNDRV_SEQ_EVENT_PORT_EXIT, client, port);
}

static int opened(void) {
    int pair[2];
    pthread_mutex_lock(&lock);
    int number = FIRST;
    while (number < CLIENTS && clients[number].used)
        number++;
    if (number == CLIENTS || socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, pair)) {
        pthread_mutex_unlock(&lock);
        errno = ENOMEM;
        return -1;
    }
    fcntl(pair[0], F_SETFL, O_NONBLOCK);
    memset(&clients[number], 0, sizeof clients[number]);
    clients[number].used = 1, clients[number].theirs = pair[0], clients[number].ours = pair[1];
    client_at[pair[0]] = number;
    announce(SNDRV_SEQ_EVENT_CLIENT_START, number, 0);
    pthread_mutex_unlock(&lock);
    return pair[0];
}

static int client_of(int fd) { return fd >= 0 && fd < FDS ? client_at[fd] : 0; }

static int answer(int self, unsigned long request, void *arg) {
    if (request == SNDRV_SEQ_IOCTL_PVERSION) {
        *(int *)arg = SNDRV_SEQ_VERSION;
    } else if (request == SNDRV_SEQ_IOCTL_CLIENT_ID) {
        *(int *)arg = self;
    } else if (request == SNDRV_SEQ_IOCTL_USER_PVERSION) {
        return 0;
    } else if (request == SNDRV_SEQ_IOCTL_GET_CLIENT_INFO || request == SNDRV_SEQ_IOCTL_QUERY_NEXT_CLIENT) {
        struct snd_seq_client_info *info = arg;
        int at = info->client;
        if (request == SNDRV_SEQ_IOCTL_QUERY_NEXT_CLIENT)
            for (at++; at < CLIENTS && !clients[at].used; at++)
                ;
        if (at < 0 || at >= CLIENTS || !clients[at].used)
            return -ENOENT;
        memset(info, 0, sizeof *info);
        info->client = at, info->type = at < FIRST ? KERNEL_CLIENT : USER_CLIENT;
        info->card = -1, info->pid = at < FIRST ? -1 : getpid();
        strcpy(info->name, clients[at].name);
        for (int k = 0; k < PORTS; k++)
            info->num_ports += clients[at].port_used[k];
    } else if (request == SNDRV_SEQ_IOCTL_SET_CLIENT_INFO) {
        memcpy(clients[self].name, ((struct snd_seq_client_info *)arg)->name, 64);
    } else if (request == SNDRV_SEQ_IOCTL_CREATE_PORT) {
        struct snd_seq_port_info *info = arg;
        int port = info->flags & SNDRV_SEQ_PORT_FLG_GIVEN_PORT ? info->addr.port : 0;
        while (port < PORTS && clients[self].port_used[port])
            port++;
        if (port == PORTS)
            return -ENOMEM;
        info->addr.client = self, info->addr.port = port;
        clients[self].ports[port] = *info, clients[self].port_used[port] = 1;
        announce(SNDRV_SEQ_EVENT_PORT_START, self, port);
    } else if (request == SNDRV_SEQ_IOCTL_DELETE_PORT) {
        drop_port(self, ((struct snd_seq_port_info *)arg)->addr.port);
    } else if (request == SNDRV_SEQ_IOCTL_GET_PORT_INFO || request == SNDRV_SEQ_IOCTL_QUERY_NEXT_PORT) {
        struct snd_seq_port_info *info = arg, *found = NULL;
        struct snd_seq_addr at = info->addr;
        if (request == SNDRV_SEQ_IOCTL_GET_PORT_INFO)
            found = port_at(at);
        else
            for (at.port++; at.port < PORTS && !(found = port_at(at)); at.port++)
                ;
        if (!found)
            return -ENOENT;
        *info = *found;
    } else if (request == SNDRV_SEQ_IOCTL_SUBSCRIBE_PORT) {
        struct snd_seq_port_subscribe *link = arg;
        if (!port_at(link->sender) || !port_at(link->dest))
            return -EINVAL;
        for (int k = 0; k < LINKS; k++)
            if (link_used[k] && same(links[k].sender, link->sender) && same(links[k].dest, link->dest))
                return -EBUSY;
        for (int k = 0; k < LINKS; k++)
            if (!link_used[k]) {
                links[k] = *link, link_used[k] = 1;
                return 0;
            }
        return -ENOMEM;
    } else if (request == SNDRV_SEQ_IOCTL_UNSUBSCRIBE_PORT) {
        struct snd_seq_port_subscribe *link = arg;
        for (int k = 0; k < LINKS; k++)
            if (link_used[k] && same(links[k].sender, link->sender) && same(links[k].dest, link->dest))
                return link_used[k] = 0;
        return -ENOENT;
    } else if (request == SNDRV_SEQ_IOCTL_CREATE_QUEUE) {
        struct snd_seq_queue_info *info = arg;
        for (int k = 0; k < QUEUES; k++)
            if (!queues[k].used) {
                queues[k] = (struct queue){.used = 1};
                info->queue = k, info->owner = self;
                return 0;
            }
        return -ENOMEM;
    } else if (request == SNDRV_SEQ_IOCTL_DELETE_QUEUE) {
        queues[((struct snd_seq_queue_info *)arg)->queue].used = 0;
    } else if (request == SNDRV_SEQ_IOCTL_GET_QUEUE_STATUS) {
        struct snd_seq_queue_status *status = arg;
        status->time = time_of(status->queue);
        status->running = queues[status->queue].runs;
    } else {
        return -ENOTTY;
    }
    return 0;
}

static void write_event(int self, struct snd_seq_event *event, const char *data) {
    event->source.client = self;
    if (event->dest.client == 0 && event->dest.port == 0 && event->data.queue.queue < QUEUES) {
        struct queue *queue = &queues[event->data.queue.queue];
        queue->runs = event->type == SNDRV_SEQ_EVENT_START;
        clock_gettime(CLOCK_MONOTONIC, &queue->since);
    } else if (event->dest.client == SNDRV_SEQ_ADDRESS_SUBSCRIBERS) {
        to_subscribers(event, data);
    } else {
        deliver(*event, event->dest, data);
    }
}

int open(const char *path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    int mode = va_arg(rest, int);
    va_end(rest);
    return !strcmp(path, "/dev/snd/seq") ? opened() : REAL(open)(path, flags, mode);
}

int __open_2(const char *path, int flags) {
    int (*real)(const char *, int) = dlsym(RTLD_NEXT, "__open_2");
    return !strcmp(path, "/dev/snd/seq") ? opened() : real(path, flags);
}

int ioctl(int fd, unsigned long request, ...) {
    va_list rest;
    va_start(rest, request);
    void *arg = va_arg(rest, void *);
    va_end(rest);
    int self = client_of(fd);
    if (!self)
        return REAL(ioctl)(fd, request, arg);
    pthread_mutex_lock(&lock);
    int result = answer(self, (unsigned)request, arg);
    pthread_mutex_unlock(&lock);
    if (result < 0) {
        errno = -result;
        return -1;
    }
    return result;
}

ssize_t write(int fd, const void *bytes, size_t size) {
    int self = client_of(fd);
    if (!self)
        return REAL(write)(fd, bytes, size);
    pthread_mutex_lock(&lock);
    for (size_t at = 0; at + sizeof(struct snd_seq_event) <= size;) {
        struct snd_seq_event event;
        memcpy(&event, (const char *)bytes + at, sizeof event);
        at += sizeof event;
        int more = (event.flags & SNDRV_SEQ_EVENT_LENGTH_MASK) == SNDRV_SEQ_EVENT_LENGTH_VARIABLE;
        write_event(self, &event, (const char *)bytes + at);
        at += more ? event.data.ext.len : 0;
    }
    pthread_mutex_unlock(&lock);
    return size;
}

int close(int fd) {
    int self = client_of(fd);
    if (!self)
        return REAL(close)(fd);
    pthread_mutex_lock(&lock);
    for (int k = 0; k < PORTS; k++)
        if (clients[self].port_used[k])
            drop_port(self, k);
    client_at[fd] = 0, clients[self].used = 0;
    REAL(close)(clients[self].ours);
    announce(SNDRV_SEQ_EVENT_CLIENT_EXIT, self, 0);
    pthread_mutex_unlock(&lock);
    return REAL(close)(fd);
}
