#!/usr/bin/env python3
"""A diagnostic client that shares no code with Brusk: ISO 15765-2 and ISO 14229 straight from the standards' text.

Run against brusk-benchcar's Unix-domain socket it holds whole sessions in unlucky orders: repeated requests, wrong keys
until the lock-out, requests out of session, flow control with WAIT, block size 1 and STmin 10 ms. Prints one line a check
and a summary; the exit code is the number of failed checks.
"""
import select
import socket
import struct
import sys
import time
import zlib

REQUEST, RESPONSE = 0x7E0, 0x7E8
CALIBRATION, SECTOR = 0x8C0000, 0x4000


class Timeout(Exception):
    pass


class Bus:
    """Frames over the socket: struct can_frame, little-endian."""

    def __init__(self, path):
        self.socket = socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.socket.connect(path)

    def send(self, data, identifier=REQUEST):
        data = bytes(data).ljust(8, b"\xcc")
        self.socket.send(struct.pack("<IB3x8s", identifier, 8, data))

    def receive(self, seconds=10.0):
        """The next frame of the controller's answers."""
        until = time.monotonic() + seconds
        while True:
            left = until - time.monotonic()
            if left <= 0 or not select.select([self.socket], [], [], left)[0]:
                raise Timeout()
            identifier, length, data = struct.unpack("<IB3x8s", self.socket.recv(16))
            if identifier == RESPONSE:
                return data[:length]


class Client:
    def __init__(self, bus):
        self.bus = bus
        # What this end asks of the controller while it receives.
        self.block_size, self.separation, self.waits = 0, 0, 0
        self.gaps = []

    def send(self, payload):
        if len(payload) <= 7:
            self.bus.send(bytes([len(payload)]) + payload)
            return
        self.bus.send(bytes([0x10 | len(payload) >> 8, len(payload) & 0xFF]) + payload[:6])
        at, sequence, left, gap = 6, 1, 0, 0.0
        while at < len(payload):
            if left == 0:
                flow = self.bus.receive()
                while flow[0] == 0x31:
                    flow = self.bus.receive()
                assert flow[0] == 0x30, flow.hex()
                left = flow[1] or 1 << 30
                gap = flow[2] / 1000 if flow[2] < 0x80 else 0.001
            self.bus.send(bytes([0x20 | sequence]) + payload[at:at + 7])
            at, sequence, left = at + 7, (sequence + 1) & 15, left - 1
            time.sleep(gap)

    def receive(self, seconds=10.0):
        frame = self.bus.receive(seconds)
        kind = frame[0] >> 4
        if kind == 0:
            return frame[1:1 + frame[0]]
        assert kind == 1, frame.hex()
        length = (frame[0] & 15) << 8 | frame[1]
        payload = bytearray(frame[2:])
        for _ in range(self.waits):
            self.bus.send([0x31, 0, 0])
            time.sleep(0.05)
        sequence, left, last = 1, 0, None
        while len(payload) < length:
            if left == 0:
                self.bus.send([0x30, self.block_size, self.separation])
                left, last = self.block_size or 1 << 30, None
            frame = self.bus.receive(seconds)
            now = time.monotonic()
            if last is not None:
                self.gaps.append(now - last)
            last = now
            assert frame[0] == 0x20 | sequence, (frame.hex(), sequence)
            payload += frame[1:]
            sequence, left = (sequence + 1) & 15, left - 1
        return bytes(payload[:length])

    def ask(self, payload, seconds=10.0):
        """The final answer: pending answers are waited out."""
        self.send(bytes(payload))
        while True:
            answer = self.receive(seconds)
            if answer[:1] == b"\x7f" and answer[2] == 0x78:
                seconds = 10.0
                continue
            return answer

    def refusal(self, payload):
        answer = self.ask(payload)
        return answer[2] if answer[0] == 0x7F else 0

    def unlock(self):
        answer = self.ask([0x27, 0x01])
        assert answer[:2] == b"\x67\x01", answer.hex()
        seed = int.from_bytes(answer[2:6], "big")
        if seed == 0:
            return
        mixed = seed ^ 0x5A17C3E9
        key = ((mixed << 11 | mixed >> 21) + 0x0BADBEE5) & 0xFFFFFFFF
        assert self.ask(b"\x27\x02" + key.to_bytes(4, "big")) == b"\x67\x02"

    def upload(self, start, length):
        answer = self.ask(b"\x35\x00\x44" + struct.pack(">II", start, length))
        assert answer[0] == 0x75, answer.hex()
        out, counter = bytearray(), 1
        while len(out) < length:
            block = self.ask([0x36, counter & 0xFF])
            assert block[:2] == bytes([0x76, counter & 0xFF]), block[:4].hex()
            out += block[2:]
            counter += 1
        assert self.ask([0x37]) == b"\x77"
        return bytes(out)


class Checks:
    def __init__(self):
        self.passed = self.failed = 0

    def check(self, name, good, detail=""):
        self.passed += bool(good)
        self.failed += not good
        print(("ok    " if good else "FAIL  ") + name + (f"  {detail}" if detail else ""), flush=True)


def identify(c, t):
    t.check("the controller tells its VIN", c.ask(b"\x22\xf1\x90")[3:] == b"FMKHR16T0E2004711")
    t.check("the same request again gets the same answer", c.ask(b"\x22\xf1\x90") == c.ask(b"\x22\xf1\x90"))
    t.check("two numbers in one request", len(c.ask(b"\x22\xf1\x8c\xf1\x91")) == 1 + 2 + 12 + 2 + 12)


def out_of_session(c, t):
    t.check("security in the default session is refused", c.refusal([0x27, 0x01]) == 0x7F)
    t.check("erasing in the default session is refused",
            c.refusal(b"\x31\x01\xff\x00\x44" + struct.pack(">II", CALIBRATION, SECTOR)) == 0x7F)
    t.check("a block without a transfer is refused", c.refusal([0x36, 0x01]) == 0x24)
    t.check("an end without a transfer is refused", c.refusal([0x37]) == 0x24)
    t.check("an unknown service is refused", c.refusal([0xBA, 0x01]) == 0x11)
    c.bus.send([0x23, 1, 2, 3])  # a consecutive frame that belongs to nothing
    t.check("a stray frame disturbs nothing", c.refusal([0x3E, 0x00]) == 0)
    c.bus.send([0x10, 0x20, 0x22, 0xF1, 0x90, 0, 0, 0])  # a message that is begun and never goes on
    c.bus.receive()
    t.check("an unfinished message is dropped for the next", c.ask(b"\x22\xf1\x90")[:3] == b"\x62\xf1\x90")


def wrong_keys(c, t):
    assert c.ask([0x10, 0x03])[0] == 0x50
    codes = []
    for _ in range(3):
        c.ask([0x27, 0x01])
        codes.append(c.refusal(b"\x27\x02\x00\x00\x00\x00"))
    t.check("the third wrong key locks", codes == [0x35, 0x35, 0x36], codes)
    t.check("a locked controller gives no seed", c.refusal([0x27, 0x01]) == 0x37)
    begun = time.monotonic()
    while c.refusal([0x27, 0x01]) == 0x37 and time.monotonic() - begun < 15:
        time.sleep(0.25)
    waited = time.monotonic() - begun
    t.check("the lock opens after its delay", 8 < waited < 12, f"{waited:.1f} s")
    c.unlock()
    t.check("the right key opens", c.ask([0x27, 0x01])[2:6] == bytes(4))


def flow_control(c, t):
    whole = c.ask(b"\x22\xf1\x90")
    c.waits = 3
    t.check("WAIT three times", c.ask(b"\x22\xf1\x90") == whole)
    c.waits, c.block_size = 0, 1
    t.check("block size 1", c.ask(b"\x22\xf1\x90") == whole)
    c.block_size, c.separation, c.gaps = 0, 10, []
    longer = c.ask(b"\x19\x0a")
    # Each arrival is as late as two processes let it be; over all of them the gaps cannot be shorter than asked.
    mean = sum(c.gaps) / len(c.gaps)
    t.check("10 ms between frames", longer[0] == 0x59 and mean > 0.0099, f"mean gap {mean * 1000:.1f} ms")
    c.separation = 0


def read_all(c, t):
    begun = time.monotonic()
    image = c.upload(CALIBRATION, 0x40000)
    seconds = time.monotonic() - begun
    t.check("256 KiB are read", len(image) == 0x40000, f"in {seconds:.1f} s")
    sums = all(zlib.crc32(image[at:at + SECTOR - 4]) == int.from_bytes(image[at + SECTOR - 4:at + SECTOR], "big")
               for at in range(0, 0x40000, SECTOR))
    t.check("every sector's checksum agrees", sums)
    return image


def reprogram(c, t, image):
    assert c.ask([0x10, 0x02])[0] == 0x50
    place = b"\x44" + struct.pack(">II", CALIBRATION, SECTOR)
    t.check("erasing without the key is refused", c.refusal(b"\x31\x01\xff\x00" + place) == 0x33)
    c.unlock()
    t.check("writing where nothing is erased is refused", c.refusal(b"\x34\x00" + place) == 0x22)
    t.check("the boot area cannot be erased",
            c.refusal(b"\x31\x01\xff\x00\x44" + struct.pack(">II", 0x800000, 0x10000)) == 0x31)
    sector = bytearray(image[:SECTOR])
    sector[0x20:0x40] = b"written by a stranger".ljust(32)
    sector[-4:] = zlib.crc32(sector[:-4]).to_bytes(4, "big")
    t.check("the sector is erased", c.ask(b"\x31\x01\xff\x00" + place) == b"\x71\x01\xff\x00\x00")
    assert c.ask(b"\x34\x00" + place)[0] == 0x74
    at, counter = 0, 1
    while at < SECTOR:
        block = bytes([0x36, counter]) + sector[at:at + 2048]
        assert c.ask(block) == bytes([0x76, counter])
        if counter == 2:
            t.check("a block that is sent again is confirmed again", c.ask(block) == bytes([0x76, counter]))
        if counter == 3:
            t.check("a block out of order is refused", c.refusal([0x36, counter + 5, 0]) == 0x73)
        at, counter = at + 2048, counter + 1
    assert c.ask([0x37]) == b"\x77"
    t.check("the checksum is what was written",
            c.ask(b"\x31\x01\x02\x02" + place)[4:] == zlib.crc32(sector).to_bytes(4, "big"))
    t.check("everything fits together", c.ask(b"\x31\x01\xff\x01") == b"\x71\x01\xff\x01\x00")
    assert c.ask([0x11, 0x01])[0] == 0x51
    time.sleep(0.2)
    t.check("after the reset the note is there", c.ask(b"\x22\xfd\x0b")[3:] == b"written by a stranger".ljust(32))


def codes(c, t):
    answer = c.ask([0x19, 0x02, 0xFF])
    t.check("trouble codes are read", answer[:2] == b"\x59\x02" and (len(answer) - 3) % 4 == 0)
    t.check("they are cleared", c.ask(b"\x14\xff\xff\xff") == b"\x54")
    t.check("none is left", c.ask([0x19, 0x02, 0xFF]) == b"\x59\x02" + bytes([answer[2]]))
    c.bus.send([0x02, 0x01, 0x00], 0x7DF)
    t.check("OBD by everybody's address is answered", c.receive()[:2] == b"\x41\x00")


def main(path):
    client, t = Client(Bus(path)), Checks()
    identify(client, t)
    out_of_session(client, t)
    flow_control(client, t)
    wrong_keys(client, t)
    image = read_all(client, t)
    reprogram(client, t, image)
    codes(client, t)
    print(f"Totals: {t.passed} passed, {t.failed} failed")
    return t.failed


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
