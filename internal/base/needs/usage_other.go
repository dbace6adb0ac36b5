//go:build !unix

package needs

import (
	"os"
	"time"
)

// ProcessorTime is not known here.
func ProcessorTime() time.Duration { return 0 }

// PeakMemory is not known here.
func PeakMemory(*os.ProcessState) int64 { return 0 }
