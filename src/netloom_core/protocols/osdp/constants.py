"""Numbers of OSDP, IEC 60839-11-5:2020 (the clauses in brackets), each with its consequence."""

SOM = 0x53  # start of message (5.9)
REPLY_FLAG = 0x80  # set in the address byte of a reply (5.9, ADDR)
MAX_ADDRESS = 0x7E  # 126; 0x7F is the configuration address that every unit answers at once
CONFIG_ADDRESS = 0x7F

CTRL_SEQUENCE = 0x03  # message control byte (5.9, CTRL)
CTRL_CRC = 0x04
CTRL_SECURITY = 0x08

SEALED = 0x15  # security blocks from this type on have a MAC (annex D)
MAC_BYTES = 4
HEADER_BYTES = 5  # SOM, ADDR, LEN LSB, LEN MSB, CTRL
MIN_FRAME = HEADER_BYTES + 1 + 1  # code and checksum
MAX_FRAME = 1440  # largest that a control panel must take; longer length fields are line noise

CRC_POLYNOMIAL = 0x1021  # annex on CRC: x^16 + x^12 + x^5 + 1
CRC_START = 0x1D0F

# Timing (5.7, multi-drop). A shorter reply time-out loses slow units; a longer one makes a
# scan of absent addresses slower, one time-out each.
REPLY_TIMEOUT_S = 0.2
SCAN_TIMEOUT_S = 0.03  # first, quick look of a scan: units answer within about 3 ms
IDLE_CHARACTERS = 2  # silence between a reply's end and the next command
BITS_PER_CHARACTER = 10  # start, eight data, stop

USUAL_SPEEDS = (9600, 19200, 38400, 57600, 115200, 230400)

RETRIES = 3  # the same sequence number again: the unit repeats its reply and acts once
BUSY_RETRIES = 20
BUSY_PAUSE_S = 0.1

NAK_TEXT = {
    0x00: "no error",
    0x01: "the message check did not match",
    0x02: "the command has a wrong length",
    0x03: "the command is not known to it",
    0x04: "the sequence number was not expected",
    0x05: "this security block is not supported",
    0x06: "it wants encrypted communication",
    0x07: "the biometric type is not supported",
    0x08: "the biometric format is not supported",
    0x09: "it cannot carry the command out",
}
NAK_CHECK = 0x01
NAK_LENGTH = 0x02
NAK_SEQUENCE = 0x04
NAK_SECURE = (0x05, 0x06)  # it speaks on a secure channel only, or for this command


class Cmd:
    """Command codes (6)."""

    POLL = 0x60
    ID = 0x61
    CAP = 0x62
    LSTAT = 0x64
    ISTAT = 0x65
    OSTAT = 0x66
    OUT = 0x68
    LED = 0x69
    BUZ = 0x6A
    TEXT = 0x6B
    COMSET = 0x6E
    KEYSET = 0x75
    FILETRANSFER = 0x7C
    CHLNG = 0x76
    SCRYPT = 0x77
    MFG = 0x80
    ABORT = 0xA2


class Rep:
    """Reply codes (7)."""

    ACK = 0x40
    NAK = 0x41
    PDID = 0x45
    PDCAP = 0x46
    LSTATR = 0x48
    ISTATR = 0x49
    OSTATR = 0x4A
    COM = 0x54
    CCRYPT = 0x76
    RMAC_I = 0x78
    BUSY = 0x79
    FTSTAT = 0x7A
    MFGREP = 0x90


class Out:
    """Control codes of the OUT command (6, OUT)."""

    NOP = 0
    OFF = 1
    ON = 2
    ON_FOR = 5
    OFF_FOR = 6
