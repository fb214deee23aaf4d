package windows

// Lengths of what drives are asked for: NVMe's health page and identity of a controller
// (NVM Express Base Specification 2.0, 5.16.1.3 and 5.17.2.1) and ATA's identity
// (ATA8-ACS, 7.12).
const (
	healthLength   = 512
	identityLength = 4096
	ataLength      = 512
)

// Fields of requests to a drive's own protocol and of their answers.
var (
	protocolKind     = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "ProtocolType", 0, 4)
	protocolWhat     = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "DataType", 4, 4)
	protocolValue    = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "ProtocolDataRequestValue", 8, 4)
	protocolOffset   = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "ProtocolDataOffset", 16, 4)
	protocolLength   = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "ProtocolDataLength", 20, 4)
	protocolLast     = field("STORAGE_PROTOCOL_SPECIFIC_DATA", "ProtocolDataRequestSubValue4", 36, 4)
	protocolAnswered = field("STORAGE_PROTOCOL_DATA_DESCRIPTOR", "ProtocolSpecificData", 8, 40)
)

// protocol asks a drive in its own protocol, for data of that length; nil where it does
// not answer with so much.
func (a *asker) protocol(path string, protocol, kind, value uint32, length int) []byte {
	size := protocolLast.Offset + protocolLast.Size
	question := make(answer, queryMore.Offset+size+length)
	question.put(queryWhat, protocolProperty)
	part := question[queryMore.Offset:]
	part.put(protocolKind, protocol)
	part.put(protocolWhat, kind)
	part.put(protocolValue, value)
	part.put(protocolOffset, uint32(size))
	part.put(protocolLength, uint32(length))
	told, err := a.query(path, queryProperty, question, len(question))
	if err != nil || len(told) < protocolAnswered.Offset+protocolAnswered.Size {
		return nil
	}
	inner := told[protocolAnswered.Offset:]
	return inner.at(inner.number(protocolOffset), uint64(length))
}

// Fields of temperatures. They are documented with the structures that they are in, and
// newer than the headers that the others are compared with.
var (
	temperatureCritical = Field{"STORAGE_TEMPERATURE_DATA_DESCRIPTOR", "CriticalTemperature", 8, 2}
	temperatureWarning  = Field{"STORAGE_TEMPERATURE_DATA_DESCRIPTOR", "WarningTemperature", 10, 2}
	temperatureCount    = Field{"STORAGE_TEMPERATURE_DATA_DESCRIPTOR", "InfoCount", 12, 2}
	temperatureFirst    = Field{"STORAGE_TEMPERATURE_DATA_DESCRIPTOR", "TemperatureInfo", 24, 16}
	temperatureNow      = Field{"STORAGE_TEMPERATURE_INFO", "Temperature", 2, 2}
)

// noTemperature is STORAGE_TEMPERATURE_VALUE_NOT_REPORTED.
const noTemperature = -32768

// temperature is what a disk says of it beside its health page.
func (a *asker) temperature(path string) Temperature {
	told, err := a.property(path, temperatureProperty, smallAnswer)
	if err != nil || told.number(temperatureCount) == 0 {
		return Temperature{}
	}
	first := answer(told.at(uint64(temperatureFirst.Offset), uint64(temperatureFirst.Size)))
	if first == nil || signed(first, temperatureNow) == noTemperature {
		return Temperature{}
	}
	t := Temperature{Celsius: signed(first, temperatureNow), Known: true}
	if warning := signed(told, temperatureWarning); warning != noTemperature {
		t.Warning = warning
	}
	if critical := signed(told, temperatureCritical); critical != noTemperature {
		t.Critical = critical
	}
	return t
}

func signed(a answer, f Field) int { return int(int16(a.number(f))) }
