package finding

// Kinds are all kinds of findings, in the order in which they are listed within a severity, each with its
// detectors. A new kind is a value in a file of its own and a line here. Kinds without a detector are found
// with another kind.
var Kinds = []Kind{
	corruptData.by(findCorruptData, findDifferingCopies),
	capacityMismatch.by(findCapacityMismatch),
	ioErrors.by(findIOErrors),
	cachedResult.by(findCachedResult),
	linkErrors.by(findLinkErrors),
	linkDegraded.by(findLinkDegraded),
	heatThrottle.by(findExplained),
	cacheExhausted,
	creditExhausted,
	fillSlowdown.by(findFillSlowdown),
	runFade.by(findRunFade),
	dataSensitive.by(findDataSensitive),
	capBound.by(findCapBound),
	unsteady.by(findImprecise),
	hostBound.by(findHostBound),
	depthNotReached.by(findDepthNotReached),
	backgroundLoad.by(findBackgroundLoad),
	linkBound.by(findLinkBound),
	latencyBound.by(findLatencyBound),
	slowFlush.by(findSlowFlush),
	aboveRating.by(findAgainstRating),
	belowRating,
	shortRun.by(findShortRun),
	dropout.by(findDropouts),
	endpointBound.by(findEndpointBound),
	sharedHop.by(findSharedHop),
	confounded,
	drifted.by(findDriftedHosts),
}
