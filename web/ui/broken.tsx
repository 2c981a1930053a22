import { Button, Result } from 'antd'
import type { ReactNode } from 'react'
import { ErrorBoundary } from 'react-error-boundary'

/**
 * Keeps a fault in one view from blanking the page: the rest goes on, and the view is tried again when what it shows
 * changes or the user asks.
 * @param shows what the view was made from; when one of these changes it is tried again
 */
export function Guarded({ shows, children }: { shows: readonly unknown[]; children: ReactNode }) {
  return (
    <ErrorBoundary
      resetKeys={[...shows]}
      fallbackRender={({ error, resetErrorBoundary }) => (
        <Result
          status="warning"
          title="This view has broken"
          subTitle={
            <>
              Nothing is lost: every change is kept. Undo the last one, go to another stage, or try again.
              <details>
                <summary>details</summary>
                <span className="mono">{error instanceof Error ? error.message : String(error)}</span>
              </details>
            </>
          }
          extra={
            <Button type="primary" onClick={resetErrorBoundary}>
              Try again
            </Button>
          }
        />
      )}
    >
      {children}
    </ErrorBoundary>
  )
}
