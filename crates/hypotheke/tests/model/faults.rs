//! Faults that can be switched on in the model, as they are usually made. Whatever compares the
//! model with another implementation must find each of them.

use std::cell::Cell;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Fault {
    SwapDuplicates,
    SwapFiltersOneSide,
    MergeLosesTheOverflow,
    PickUpLosesTheRest,
    SplitAtTheFullCount,
    LastSlotSkipped,
    SearchStopsAtAFullStack,
    KindsMixed,
    MarkLostInAMerge,
    PropertyLostInAMerge,
    PacksMerge,
    IdUsedTwice,
    RefusalCostsAnId,
    MoreConsumedThanThere,
    StackOfNothingLeft,
    DropLandsNothing,
    KeptIsDropped,
    FullPackConsumed,
    PackInsideItself,
    NestingUnlimited,
    ContentsWeighNothing,
    WeightNotGivenBack,
    HandWeighsNothing,
    CapsForgotten,
    SlotLimitForgotten,
    DeepFilterForgotten,
    BorderForgotten,
    FurtherSlotsNotBlocked,
    ReservedNotFirst,
    UnfitAlwaysStays,
    OriginForgotten,
    HandEmptiedOnClosing,
    ExclusiveForgotten,
    SpentShortcutStays,
    SpillIsLost,
    SortMergesPastTheLimit,
    ListLeavesItsFirstHalf,
    UpToTakesOneLess,
    HandStaysBehind,
    DepartureArrivesTwice,
    ActorIgnored,
    TargetForAnyone,
    OutermostAskedOnly,
    AnyoneGivesAway,
    AnyoneDeals,
    DealHalfDone,
    PriceRoundedTheOtherWay,
    GivenStaysOpen,
    WorldHasNoMost,
    OwnerLostInASave,
    AnyoneCrafts,
    InputsUsedTwice,
    MeterBeyondItsBound,
    ChangeKeepsTheProperties,
    OneChangeOfAChain,
    FallsAtEachTick,
    FallsBelowItsMinimum,
    OnlyWhatIsDrawnFits,
    AlwaysMirrored,
    StartsAfterTheWait,
    OneEffectForAll,
    OutputsBeforeInputsGo,
    OutputsStayWhereMade,
    WorkWeighsNothing,
    TimeRunsTwiceAsFast,
    TimerRestartsOnLoad,
}

impl Fault {
    pub(crate) const ALL: [Fault; 66] = [
        Fault::SwapDuplicates,
        Fault::SwapFiltersOneSide,
        Fault::MergeLosesTheOverflow,
        Fault::PickUpLosesTheRest,
        Fault::SplitAtTheFullCount,
        Fault::LastSlotSkipped,
        Fault::SearchStopsAtAFullStack,
        Fault::KindsMixed,
        Fault::MarkLostInAMerge,
        Fault::PropertyLostInAMerge,
        Fault::PacksMerge,
        Fault::IdUsedTwice,
        Fault::RefusalCostsAnId,
        Fault::MoreConsumedThanThere,
        Fault::StackOfNothingLeft,
        Fault::DropLandsNothing,
        Fault::KeptIsDropped,
        Fault::FullPackConsumed,
        Fault::PackInsideItself,
        Fault::NestingUnlimited,
        Fault::ContentsWeighNothing,
        Fault::WeightNotGivenBack,
        Fault::HandWeighsNothing,
        Fault::CapsForgotten,
        Fault::SlotLimitForgotten,
        Fault::DeepFilterForgotten,
        Fault::BorderForgotten,
        Fault::FurtherSlotsNotBlocked,
        Fault::ReservedNotFirst,
        Fault::UnfitAlwaysStays,
        Fault::OriginForgotten,
        Fault::HandEmptiedOnClosing,
        Fault::ExclusiveForgotten,
        Fault::SpentShortcutStays,
        Fault::SpillIsLost,
        Fault::SortMergesPastTheLimit,
        Fault::ListLeavesItsFirstHalf,
        Fault::UpToTakesOneLess,
        Fault::HandStaysBehind,
        Fault::DepartureArrivesTwice,
        Fault::ActorIgnored,
        Fault::TargetForAnyone,
        Fault::OutermostAskedOnly,
        Fault::AnyoneGivesAway,
        Fault::AnyoneDeals,
        Fault::DealHalfDone,
        Fault::PriceRoundedTheOtherWay,
        Fault::GivenStaysOpen,
        Fault::WorldHasNoMost,
        Fault::OwnerLostInASave,
        Fault::AnyoneCrafts,
        Fault::InputsUsedTwice,
        Fault::MeterBeyondItsBound,
        Fault::ChangeKeepsTheProperties,
        Fault::OneChangeOfAChain,
        Fault::FallsAtEachTick,
        Fault::FallsBelowItsMinimum,
        Fault::OnlyWhatIsDrawnFits,
        Fault::AlwaysMirrored,
        Fault::StartsAfterTheWait,
        Fault::OneEffectForAll,
        Fault::OutputsBeforeInputsGo,
        Fault::OutputsStayWhereMade,
        Fault::WorkWeighsNothing,
        Fault::TimeRunsTwiceAsFast,
        Fault::TimerRestartsOnLoad,
    ];

    pub(crate) fn is_on(self) -> bool {
        SWITCHED_ON.get() == Some(self)
    }
}

thread_local! {
    // One switch for all of the model, which passes nothing around that it does not need.
    static SWITCHED_ON: Cell<Option<Fault>> = const { Cell::new(None) };
}

/// Runs something with a fault.
pub(crate) fn with_fault<T>(fault: Option<Fault>, run: impl FnOnce() -> T) -> T {
    /// Switches back, also where the fault made the model stumble.
    struct Before(Option<Fault>);
    impl Drop for Before {
        fn drop(&mut self) {
            SWITCHED_ON.set(self.0);
        }
    }
    let _before = Before(SWITCHED_ON.replace(fault));
    run()
}
