package pictures

import (
	"bytes"
	"encoding/binary"
)

// orientation reads from a JPEG how it is to be turned to be seen, as EXIF 2.3 (tag 0x0112)
// has it: 1 to 8, and 1 where nothing is said.
func orientation(data []byte) int {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; { // segments up to the picture itself
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if marker == 0xda || size < 2 || at+2+size > len(data) {
			return 1
		}
		if head, is := bytes.CutPrefix(data[at+4:at+2+size], []byte("Exif\x00\x00")); marker == 0xe1 && is {
			return orientationIn(head)
		}
		at += 2 + size
	}
	return 1
}

// orientationIn reads it from the TIFF structure that EXIF is.
func orientationIn(tiff []byte) int {
	if len(tiff) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.BigEndian
	if string(tiff[:2]) == "II" {
		order = binary.LittleEndian
	}
	from := int64(order.Uint32(tiff[4:]))
	if from+2 > int64(len(tiff)) {
		return 1
	}
	entries := tiff[from+2:]
	for range order.Uint16(tiff[from:]) {
		if len(entries) < 12 {
			return 1
		}
		if order.Uint16(entries) == 0x0112 {
			if turn := int(order.Uint16(entries[8:])); turn >= 1 && turn <= 8 {
				return turn
			}
			return 1
		}
		entries = entries[12:]
	}
	return 1
}
