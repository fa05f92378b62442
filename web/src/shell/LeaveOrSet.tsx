/** LeaveOrSet are the two ways out of a form that sets something. */
export function LeaveOrSet({ leave }: { leave: () => void }) {
  return (
    <div className="mt-3 flex justify-end gap-2">
      <button type="button" className="button" onClick={leave}>
        Leave as it was
      </button>
      <button type="submit" className="button button-main">
        Set
      </button>
    </div>
  );
}
